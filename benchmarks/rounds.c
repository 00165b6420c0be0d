/* Night Rounds (rounds.yaml) by hand in C: every step stepped, nothing that the game does not need.
 *
 * The same luck and the same order as the game file, so every run ends at the same step with the same calm.
 */
#include "chance.h"
#include "space.h"

#define STEPS 2400

static const uint64_t STARTLES = 0x1e64b4037d03dab4;
static const double WAY[2][2][2] = {{{-8, 0}, {8, 9}}, {{0, 20}, {3, -20}}};

typedef struct { Course x, y; double now_x, now_y, was_x, was_y; int at, set; } Walker;

static void walk(Walker *w, const double way[2][2], double speed, int k) {
    w->was_x = w->now_x;
    w->was_y = w->now_y;
    w->now_x = place(&w->x, k);
    w->now_y = place(&w->y, k);
    if (w->now_x == way[w->at][0] && w->now_y == way[w->at][1]) {
        w->at = !w->at;
        w->set = 0;
    }
    if (w->set) return;
    w->set = 1;
    double dx = way[w->at][0] - w->now_x, dy = way[w->at][1] - w->now_y, length = sqrt(dx * dx + dy * dy);
    double rx = speed * fabs(dx) / length, ry = speed * fabs(dy) / length;
    w->x = (Course){w->now_x, dx > 0 ? rx : -rx, way[w->at][0], k};
    w->y = (Course){w->now_y, dy > 0 ? ry : -ry, way[w->at][1], k};
}

/* Play some runs; the step in which each ended, and the calm of both watchmen together. */
void nights(uint64_t seed, uint32_t first, int64_t runs, int32_t *steps, double *calm) {
    for (int64_t r = 0; r < runs; r++) {
        Walker man[2] = {{{0, 0, 0, 0}, {0, 0, 0, 0}}, {{0, 0, 0, 0}, {9, 0, 0, 0}, 0, 9, 0, 9}};
        Walker fox[2] = {{{0, 0, 0, 0}, {20, 0, 0, 0}, 0, 20, 0, 20}, {{3, 0, 0, 0}, {-14, 0, 0, 0}, 3, -14, 3, -14}};
        int touching[2][2] = {{0}};
        double left[2] = {30, 30}, safe[2] = {-1e18, -1e18};
        uint32_t drawn[2] = {0};
        int k = 0;
        while (left[0] > 0.0 && k < STEPS) {
            double now = ++k / 20.0;
            for (int i = 0; i < 2; i++) walk(&man[i], WAY[0], 1.5, k);
            for (int i = 0; i < 2; i++) walk(&fox[i], WAY[1], 2.0, k);
            for (int i = 0; i < 2; i++) {
                for (int j = 0; j < 2; j++) {
                    int before = touching[i][j];
                    touching[i][j] = touch(fox[j].now_x - man[i].now_x, fox[j].now_y - man[i].now_y,
                                           fox[j].was_x - man[i].was_x, fox[j].was_y - man[i].was_y, 0.5 + 0.3, before);
                    if (!touching[i][j] || before || !is_due(now, safe[i])) continue;
                    double u = uniform(seed ^ STARTLES, first + (uint32_t)r, (uint32_t)j + 1, ++drawn[j]);
                    double damage = 1.0 + (3.0 - 1.0) * u;
                    left[i] = left[i] > damage ? left[i] - damage : 0.0;
                    safe[i] = now + 1.0;
                }
            }
        }
        steps[r] = k;
        calm[r] = left[0] + left[1];
    }
}
