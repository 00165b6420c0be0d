/* Motion and contact by hand: places worked out from where a course began, and whether two touch on their way. */
#include <math.h>

#define PARTING 1e-6

typedef struct { double from, rate, goal; int since; } Course;

static double place(const Course *c, int k) {
    double moved = c->from + c->rate * ((k - c->since) / 20.0);
    if (c->rate > 0.0) return moved < c->goal ? moved : c->goal;
    if (c->rate < 0.0) return moved > c->goal ? moved : c->goal;
    return c->from;
}

/* How far apart now (dx, dy) and in the step before (bx, by); `reach` is the sum of the radii. */
static int touch(double dx, double dy, double bx, double by, double reach, int before) {
    double vx = dx - bx, vy = dy - by, share = 0.0;
    if (before) {
        reach = reach * (1.0 + PARTING) + PARTING;
    } else {
        double length = vx * vx + vy * vy, along = dx * vx + dy * vy;
        if (length > 0.0 && along > 0.0) share = along >= length ? 1.0 : along / length;
    }
    double nx = dx - share * vx, ny = dy - share * vy;
    return nx * nx + ny * ny <= reach * reach;
}
