/* Barges in the Dark (barges.yaml) by hand in C: every step stepped, nothing that the game does not need.
 *
 * The same luck and the same order as the game file, so every run ends at the same step with the same bells.
 */
#include "chance.h"
#include "space.h"

#define STEPS 2400
#define ROOM 12
#define BUOYS 3

static const uint64_t FROM_Y = 0xc4318077a1f1e873;
static const double AT[BUOYS][2] = {{20, 0}, {45, 3}, {70, -4}};

typedef struct { int there, left; Course x; double y, now, was; } Barge;

/* Play some runs; the step in which each ended, and the bells of all buoys together. */
void nights(uint64_t seed, uint32_t first, int64_t runs, int32_t *steps, double *bells) {
    for (int64_t r = 0; r < runs; r++) {
        Barge barge[ROOM] = {0};
        for (int j = 0; j < ROOM; j++) barge[j].left = -1;
        int touching[BUOYS][ROOM] = {{0}};
        double left[BUOYS] = {12, 12, 12};
        uint32_t drawn = 0;
        int k = 0;
        while (left[0] > 0.0 && k < STEPS) {
            k++;
            for (int j = 0; j < ROOM; j++) {
                if (!barge[j].there) continue;
                if (barge[j].x.rate == 0.0) barge[j].x = (Course){0, 2.5, 1e15, k};
                barge[j].was = barge[j].now;
                barge[j].now = place(&barge[j].x, k);
            }
            for (int i = 0; i < BUOYS; i++) {
                for (int j = 0; j < ROOM; j++) {
                    if (!barge[j].there) continue;
                    int before = touching[i][j];
                    double dy = barge[j].y - AT[i][1];
                    touching[i][j] =
                        touch(barge[j].now - AT[i][0], dy, barge[j].was - AT[i][0], dy, 1.0 + 1.2, before);
                    if (touching[i][j] && !before) left[i] = left[i] > 1.0 ? left[i] - 1.0 : 0.0;
                }
            }
            if (k % 80 == 0) {
                int j = 0;
                while (j < ROOM && (barge[j].there || barge[j].left >= k)) j++;
                if (j < ROOM) {
                    double u = uniform(seed ^ FROM_Y, first + (uint32_t)r, 1, ++drawn);
                    barge[j] = (Barge){1, -1, {0, 0, 0, k}, -8.0 + (8.0 - -8.0) * u, 0, 0};
                    for (int i = 0; i < BUOYS; i++) touching[i][j] = 0;
                }
            }
            for (int j = 0; j < ROOM; j++) {
                if (barge[j].there && barge[j].now > 95.0) {
                    barge[j].there = 0;
                    barge[j].left = k;
                }
            }
        }
        steps[r] = k;
        bells[r] = left[0] + left[1] + left[2];
    }
}
