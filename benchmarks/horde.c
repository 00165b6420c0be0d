/* Moths at the Lantern (horde.yaml) by hand in C: every step stepped, plain loops, nothing that the game does not need.
 *
 * It draws the same luck and follows the same order as the game file, so every run ends at the same step with the same
 * glow; horde.py checks that. Build with `gcc -O2 -ffp-contract=off -fno-math-errno`.
 */
#include "chance.h"
#include "space.h"

#define ROOM 300
#define STEPS 600

enum { DAMAGE, FROM_X, FROM_Y, PLACES };
static const uint64_t PLACE[PLACES] = {0xf3790a1a6266d332, 0xc4318077a1f1e873, 0xa58def6facb70c5e};

typedef struct {
    uint64_t seed;
    uint32_t run, drawn[PLACES];
    double now, glow, safe_until;
    double x, y, was_x, was_y, from_x, vx;
    int way, since;
    int top, there[ROOM], left[ROOM], touches[ROOM], fresh[ROOM];
    double mx[ROOM], my[ROOM], wx[ROOM], wy[ROOM], vmx[ROOM], vmy[ROOM], gx[ROOM], gy[ROOM], dust[ROOM], flew[ROOM];
} Night;

static double between(Night *n, int place, double low, double high) {
    return low + (high - low) * uniform(n->seed ^ PLACE[place], n->run, 1, ++n->drawn[place]);
}

static double toward(double place, double speed, double goal) {
    double moved = place + speed;
    if (speed > 0.0) return moved < goal ? moved : goal;
    if (speed < 0.0) return moved > goal ? moved : goal;
    return place;
}

/* The bearer walks from side to side; its place is worked out from where it last turned. */
static void walk(Night *n, int k) {
    static const double side[2] = {-6.0, 6.0};
    n->was_x = n->x;
    n->was_y = n->y;
    n->x = toward(n->from_x, n->vx * ((k - n->since) / 20.0), side[n->way]);
    if (n->x == side[n->way]) n->way = !n->way;
    double v = side[n->way] < n->x ? -1.5 : 1.5;
    if (v != n->vx) {
        n->from_x = n->x;
        n->since = k;
        n->vx = v;
    }
}

/* Everyone flies one step on, aims anew, and is seen to touch the bearer or not. */
static void fly(Night *n) {
    for (int i = 0; i < n->top; i++) {
        if (!n->there[i]) continue;
        double x = toward(n->mx[i], n->vmx[i] * (1.0 / 20.0), n->gx[i]);
        double y = toward(n->my[i], n->vmy[i] * (1.0 / 20.0), n->gy[i]);
        n->wx[i] = n->mx[i];
        n->wy[i] = n->my[i];
        n->mx[i] = x;
        n->my[i] = y;
        double dx = n->x - x, dy = n->y - y, length = sqrt(dx * dx + dy * dy);
        double safe = length > 1e-300 ? length : 1e-300;
        double sx = 1.2 * fabs(dx) / safe, sy = 1.2 * fabs(dy) / safe;
        n->vmx[i] = n->x > x ? sx : n->x < x ? -sx : 0.0;
        n->vmy[i] = n->y > y ? sy : n->y < y ? -sy : 0.0;
        n->gx[i] = n->x;
        n->gy[i] = n->y;
    }
    for (int i = 0; i < n->top; i++) {
        if (!n->there[i]) continue;
        double bx = n->fresh[i] ? n->mx[i] : n->wx[i], by = n->fresh[i] ? n->my[i] : n->wy[i];
        n->touches[i] = touch(n->mx[i] - n->x, n->my[i] - n->y, bx - n->was_x, by - n->was_y, 0.5 + 0.3, n->touches[i]);
        n->fresh[i] = 0;
    }
}

static void flutter(Night *n) {
    for (int i = 0; i < n->top; i++) {
        if (!n->there[i] || !n->touches[i] || !is_due(n->now, n->flew[i] + 0.5)) continue;
        n->flew[i] = n->now;
        if (!is_due(n->now, n->safe_until)) continue;
        n->glow = n->glow > 1.0 ? n->glow - 1.0 : 0.0;
        n->safe_until = n->now + 0.3;
    }
}

static void wave(Night *n, int k) {
    int nearest = -1;
    double least = 0.0;
    for (int i = 0; i < n->top; i++) {
        if (!n->there[i]) continue;
        double dx = n->mx[i] - n->x, dy = n->my[i] - n->y, off = dx * dx + dy * dy;
        if (sqrt(off) <= 4.0 && (nearest < 0 || off < least)) {
            nearest = i;
            least = off;
        }
    }
    if (nearest < 0) return;
    n->dust[nearest] -= between(n, DAMAGE, 0.5, 1.5);
    if (n->dust[nearest] <= 0.0) {
        n->there[nearest] = 0;
        n->left[nearest] = k;
    }
}

static void come(Night *n, int k) {
    int i = 0;
    while (i < ROOM && (n->there[i] || n->left[i] >= k)) i++;
    if (i == ROOM) return;
    if (i >= n->top) n->top = i + 1;
    n->there[i] = n->fresh[i] = 1;
    n->touches[i] = 0;
    n->dust[i] = 2.0;
    n->flew[i] = -1e18;
    n->vmx[i] = n->vmy[i] = 0.0;
    n->mx[i] = between(n, FROM_X, -30.0, 30.0);
    n->my[i] = between(n, FROM_Y, 14.0, 30.0);
}

static int night(Night *n) {
    for (int k = 1;; k++) {
        n->now = k / 20.0;
        walk(n, k);
        fly(n);
        flutter(n);
        if (k % 8 == 0) wave(n, k);
        if (k % 2 == 0) come(n, k);
        if (n->glow <= 0.0 || k == STEPS) return k;
    }
}

/* Play some runs; the step in which each ended, and its glow with a thousand more for each that is left. */
void nights(uint64_t seed, uint32_t first, int64_t runs, int32_t *steps, double *glow) {
    static Night n;
    for (int64_t r = 0; r < runs; r++) {
        n = (Night){.seed = seed, .run = first + (uint32_t)r, .glow = 400.0, .safe_until = -1e18};
        for (int i = 0; i < ROOM; i++) n.left[i] = -1;
        steps[r] = night(&n);
        glow[r] = n.glow;
        for (int i = 0; i < n.top; i++) glow[r] += 1000.0 * n.there[i];
    }
}
