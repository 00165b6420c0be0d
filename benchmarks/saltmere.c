/* Saltmere Light by hand in C, careful keeper: every step stepped, plain loops, nothing that the night does not need.
 *
 * It draws the same luck and follows the same order as the game file, so every run has the same ending at the same
 * step; speed.py checks that. Build with `gcc -O2 -ffp-contract=off`.
 */
#include "chance.h"

#include <math.h>
#include <stdint.h>
#include <string.h>

#define CRABS 5
#define CANS 3
#define DUE_TOLERANCE (-1e-6 / 20.0)

enum { LAMP_OUT, KEEPER_LOST, HARBOUR_SAFE, UNFINISHED, NONE = -1 };
enum { LANDS, PINCER_DODGE, CUDGEL_DODGE, CUDGEL_DAMAGE, CUDGEL_CRIT, COLD_BITE, STAIRS, SLIPS, FINDS, LOOKS, CLIMBS, RUNS_DOWN };

static const uint64_t PLACE[] = {
    0xf1f524e9820af538, 0xd9041402b4222b45, 0xf1320479c496e02a, 0x9e1a66f3534e7135, 0xd12b2529ed1d2d25,
    0xb88b4accaaeb7e88, 0xd938c7ccf4cfb97e, 0x22e94ec67b6f3c77, 0x727374685352bb97, 0x5e2f1e41250a7512,
    0xd9767f3047211fb4, 0xef8088e7d40ea606,
};

typedef struct { double value, rate, to, anchor, waits_from; int at_limit; } Flow;
typedef struct { int there; double health, timer; int left, fired; } Foe;

typedef struct {
    uint64_t seed;
    uint32_t run;
    uint32_t drawn[12][CRABS + 1];
    double step, now;
    double health, strain, standing, ships;
    double lives, broth, honoured;
    Flow stamina, shutters, oil;
    double strain_from, safe_until;
    Foe foe[CRABS + 1]; /* the last is the bosun */
    double cudgel_timer;
    int can[CANS], can_left[CANS];
    double can_amount[CANS];
    int touch;
    int dazed, chill, chill_ticks, sipping;
    double dazed_until, chill_until, chill_began, sip_until, swing_ready;
    double looks, finds, ship_count, climb_due, bosun_count, can_count, stairs_due;
    int level;
    double level_began;
    int dead_edge, honoured_edge;
    int ending;
} Night;

static double luck(Night *n, int place, int copy) {
    return uniform(n->seed ^ PLACE[place], n->run, (uint32_t)copy, ++n->drawn[place][copy - (copy > 0)]);
}

static int due(const Night *n, double when) { return n->now - when >= DUE_TOLERANCE; }

/* The inverse normal in pairs of doubles (AS 241), and the logarithm that its tails want. */
typedef struct { double h, l; } Pair;

static Pair two_sum(double x, double y) {
    double t = x + y, p = t - x;
    return (Pair){t, (x - (t - p)) + (y - p)};
}
static Pair two_product(double x, double y) {
    double p = x * y, c = 134217729.0 * x, xh = c - (c - x), xl = x - xh;
    double d = 134217729.0 * y, yh = d - (d - y), yl = y - yh;
    return (Pair){p, ((xh * yh - p) + xh * yl + xl * yh) + xl * yl};
}
static Pair pair_product(Pair x, Pair y) {
    Pair p = two_product(x.h, y.h);
    return two_sum(p.h, p.l + (x.h * y.l + x.l * y.h));
}
static Pair pair_sum(Pair x, Pair y) {
    Pair s = two_sum(x.h, y.h);
    return two_sum(s.h, s.l + (x.l + y.l));
}
static const double MIDDLE_TOP[] = {
    2509.0809287301227, 33430.57558358813, 67265.7709270087, 45921.95393154987,
    13731.69376550946, 1971.5909503065513, 133.14166789178438, 3.3871328727963665,
};
static const double MIDDLE_BOTTOM[] = {
    5226.495278852546, 28729.085735721943, 39307.89580009271, 21213.794301586597,
    5394.196021424751, 687.1870074920579, 42.31333070160091, 1.0,
};
static const double NEAR_TOP[] = {
    0.0007745450142783414, 0.022723844989269184, 0.2417807251774506, 1.2704582524523684,
    3.6478483247632045, 5.769497221460691, 4.630337846156546, 1.4234371107496835,
};
static const double NEAR_BOTTOM[] = {
    1.0507500716444169e-09, 0.0005475938084995345, 0.015198666563616457, 0.14810397642748008,
    0.6897673349851, 1.6763848301838038, 2.053191626637759, 1.0,
};
static const double FAR_TOP[] = {
    2.0103343992922881e-07, 2.7115555687434876e-05, 0.0012426609473880784, 0.026532189526576124,
    0.29656057182850487, 1.7848265399172913, 5.463784911164114, 6.657904643501103,
};
static const double FAR_BOTTOM[] = {
    2.0442631033899397e-15, 1.421511758316446e-07, 1.8463183175100548e-05, 0.0007868691311456133,
    0.014875361290850615, 0.1369298809227358, 0.599832206555888, 1.0,
};
static const double ODD[] = {
    1.0, 0.3333333333333333, 0.2, 0.14285714285714285,
    0.1111111111111111, 0.09090909090909091, 0.07692307692307693, 0.06666666666666667,
    0.058823529411764705, 0.05263157894736842, 0.047619047619047616, 0.043478260869565216,
    0.04, 0.037037037037037035, 0.034482758620689655, 0.03225806451612903,
    0.030303030303030304,
};
static const double ODD_REST[] = {
    0.0, 1.850371707708594e-17, -1.1102230246251566e-17, 7.93016446160826e-18,
    6.1679056923619804e-18, -2.523234146875356e-18, -4.270088556250602e-18, 9.251858538542971e-19,
    8.163404592832033e-19, 2.921639538487254e-18, 2.64338815386942e-18, 1.206764157201257e-18,
    -8.326672684688674e-19, 2.05596856412066e-18, 4.785444071660157e-19, 8.953411488912552e-19,
    -8.410780489584519e-19,
};
static const double LN2_HIGH = 0.6931471803691238, LN2_LOW = 1.9082149292705877e-10, LN2_REST = 1.1612227229362532e-26;

static Pair polynomial(Pair x, const double *c) {
    Pair t = {c[0], 0.0};
    for (int i = 1; i < 8; i++) t = pair_sum(pair_product(t, x), (Pair){c[i], 0.0});
    return t;
}
static Pair ratio(Pair x, const double *top, const double *bottom) {
    Pair a = polynomial(x, top), b = polynomial(x, bottom);
    double h = a.h / b.h;
    Pair back = two_product(h, b.h);
    return (Pair){h, ((((a.h - back.h) - back.l) + a.l) - h * b.l) / b.h};
}
static Pair pair_log(double x) {
    int e;
    double m = frexp(x, &e);
    if (m < 0.7071067811865475) { m += m; e--; }
    double f = m - 1.0;
    Pair d = two_sum(m, 1.0);
    double sh = f / d.h;
    Pair back = two_product(sh, d.h);
    Pair s = {sh, (((f - back.h) - back.l) - sh * d.l) / d.h};
    Pair z = pair_product(s, s);
    double high = 1.0 / 33.0;
    for (int k = 15; k > 5; k--) high = high * z.h + 1.0 / (2 * k + 1);
    Pair t = {high, 0.0};
    for (int k = 5; k >= 0; k--) t = pair_sum(pair_product(t, z), (Pair){ODD[k], ODD_REST[k]});
    Pair series = pair_product(t, (Pair){s.h + s.h, s.l + s.l});
    Pair ln2 = two_sum(e * LN2_HIGH, e * LN2_LOW);
    return pair_sum((Pair){ln2.h, ln2.l + e * LN2_REST}, series);
}
static double normal(double p) {
    Pair q = two_sum(p, -0.5);
    if (fabs(q.h) <= 0.425) {
        Pair square = pair_product(q, q);
        Pair x = pair_sum((Pair){0.180625, 0.0}, (Pair){-square.h, -square.l});
        Pair v = pair_product(q, ratio(x, MIDDLE_TOP, MIDDLE_BOTTOM));
        return v.h + v.l;
    }
    Pair log = pair_log(q.h < 0.0 ? p : 1.0 - p);
    double high = sqrt(-log.h);
    Pair back = two_product(high, high);
    Pair root = {high, ((((-log.h) - back.h) - back.l) - log.l) / (high + high)};
    Pair v;
    if (high <= 5.0) v = ratio(pair_sum(root, (Pair){-1.6, 0.0}), NEAR_TOP, NEAR_BOTTOM);
    else v = ratio(pair_sum(root, (Pair){-5.0, 0.0}), FAR_TOP, FAR_BOTTOM);
    return q.h < 0.0 ? -(v.h + v.l) : v.h + v.l;
}

/* Flows: anchored, so that they are worth clamp(v0 + rate * ((k - k0) / n)). */
static double worth(const Night *n, const Flow *f) {
    if (f->rate == 0.0) return f->value;
    double v = f->value + f->rate * ((n->step - f->anchor) / 20.0);
    if (f->rate > 0.0) return v < f->to ? v : f->to;
    return v > f->to ? v : f->to;
}
static void look(Night *n, Flow *f, double rate, double wait) {
    double v = worth(n, f), want = due(n, f->waits_from + wait) && v != f->to ? rate : 0.0;
    if (want == f->rate) return;
    f->value = v;
    f->anchor = n->step;
    f->rate = want;
}
static void post(Night *n, Flow *f, double amount, double max) {
    double before = worth(n, f), after = before + amount;
    if (after > max) after = max;
    if (after < 0.0) after = 0.0;
    if (fabs(f->to - after) > fabs(f->to - before)) {
        f->waits_from = n->now;
        f->at_limit = after == 0.0;
    }
    f->value = after;
    f->anchor = n->step;
}

static void daze(Night *n, double seconds) {
    n->dazed = 1;
    n->dazed_until = n->now + seconds;
}
static void settle(Night *n) {
    int dead = n->health <= 0.0;
    if (dead != n->dead_edge) {
        n->dead_edge = dead;
        if (dead) {
            if (n->lives > 0.0) n->lives -= 1.0;
            n->health = 100.0;
            daze(n, 1.5);
            n->dead_edge = 0;
        }
    }
    for (int i = 0; i <= CRABS; i++)
        if (n->foe[i].there && n->foe[i].health <= 0.0) {
            n->foe[i].there = 0;
            n->foe[i].left = (int)n->step;
            n->standing += i == CRABS ? 5.0 : 1.0;
            if (n->standing > 100.0) n->standing = 100.0;
        }
    if (n->standing >= 10.0 && !n->honoured_edge) {
        n->honoured_edge = 1;
        if (n->broth < 3.0) n->broth += 1.0;
    }
}
static void hurt(Night *n, double amount) {
    n->health -= amount;
    if (n->health < 0.0) n->health = 0.0;
}
static void defend(Night *n, double damage, int cold) {
    damage -= damage < 2.0 ? damage : 2.0;
    if (cold) damage *= 1.0 - 0.25;
    if (damage < 1.0) damage = 1.0;
    double held = worth(n, &n->shutters), rest = damage;
    if (held > 0.0) {
        double taken = damage < held ? damage : held;
        post(n, &n->shutters, -taken, 40.0);
        look(n, &n->shutters, 5.0, n->shutters.at_limit ? 4.0 : 2.0);
        rest -= taken;
    }
    if (rest > 0.0) hurt(n, rest);
    n->safe_until = n->now + 0.8;
}
static void crab_up(Night *n, int i) {
    n->foe[i] = (Foe){1, 22.0, n->now + 1.4, -1, 0};
}
static void bosun_up(Night *n) {
    n->foe[CRABS] = (Foe){1, 70.0, n->now + 2.5, -1, 0};
}
static void enter(Night *n, int level) {
    for (int i = 0; i <= CRABS; i++) n->foe[i].there = 0;
    for (int i = 0; i < CANS; i++) n->can[i] = 0;
    n->level = level;
    n->level_began = n->now;
    for (int i = 0; i < (level ? 3 : 2); i++) crab_up(n, i);
    if (level) bosun_up(n);
    for (int i = 0; i < (level ? 2 : 1); i++) { n->can[i] = 1; n->can_left[i] = -1; }
    if (level) n->broth = 2.0;
}
static int foes(const Night *n) {
    int c = 0;
    for (int i = 0; i <= CRABS; i++) c += n->foe[i].there;
    return c;
}
static void swing(Night *n) {
    post(n, &n->stamina, -9.0, 60.0);
    look(n, &n->stamina, 12.0, 1.0);
    n->swing_ready = n->now + 0.7;
    int weakest = -1;
    for (int i = 0; i <= CRABS; i++)
        if (n->foe[i].there && (weakest < 0 || n->foe[i].health < n->foe[weakest].health)) weakest = i;
    n->foe[weakest].health -= 10.0;
    if (n->foe[weakest].health < 0.0) n->foe[weakest].health = 0.0;
    settle(n);
}
static void choose(Night *n) {
    int what = 0;
    if (n->dazed) return;
    if (n->broth > 0.0 && n->health < 45.0) what = 1;
    else if (due(n, n->swing_ready) && foes(n) > 0) {
        double s = worth(n, &n->stamina);
        if (s >= 9.0 && (n->chill ? s * 0.8 : s) > 20.0) what = 2;
    }
    if (!what || luck(n, SLIPS, 1) < 0.03) return;
    if (what == 1) { n->sipping = 1; n->sip_until = n->now + 0.6; }
    else swing(n);
}
static void step(Night *n) {
    n->step += 1.0;
    n->now = n->step / 20.0;
    /* time */
    while (n->chill) {
        double when = n->chill_began + (n->chill_ticks + 1.0) * 1.0;
        if (!due(n, when) || when > n->chill_until + 1e-7) break;
        n->chill_ticks++;
        hurt(n, 2.0);
        settle(n);
    }
    if (n->dazed && due(n, n->dazed_until)) n->dazed = 0;
    if (n->chill && due(n, n->chill_until)) n->chill = 0;
    if (n->sipping) {
        if (n->dazed) n->sipping = 0;
        else if (due(n, n->sip_until)) {
            n->sipping = 0;
            n->broth -= 1.0;
            n->health += 45.0;
            if (n->health > 100.0) n->health = 100.0;
            settle(n);
        }
    }
    /* the keeper */
    while (due(n, n->finds)) {
        n->finds += 20.0 + 20.0 * luck(n, FINDS, 1);
        for (int i = 0; i < CANS; i++) if (n->can[i]) { n->touch = i; break; }
    }
    if (due(n, n->looks) && !n->sipping) {
        choose(n);
        n->looks = n->now + (0.2 + 0.3 * luck(n, LOOKS, 1));
    }
    /* contact */
    if (n->touch >= 0) {
        post(n, &n->oil, n->can_amount[n->touch], 90.0);
        look(n, &n->oil, -0.5, 0.0);
        n->can[n->touch] = 0;
        n->can_left[n->touch] = (int)n->step;
        n->touch = -1;
    }
    /* attacks and rules */
    for (int i = 0; i < CRABS; i++)
        while (n->foe[i].there && due(n, n->foe[i].timer + n->foe[i].fired * 1.4)) {
            n->foe[i].fired++;
            if (!due(n, n->safe_until)) continue;
            if (!(luck(n, LANDS, i + 1) < 0.8) || luck(n, PINCER_DODGE, 1) < 0.05) continue;
            defend(n, 12.0, 1);
            if (luck(n, COLD_BITE, i + 1) < 0.1 && !n->chill) {
                n->chill = 1;
                n->chill_until = n->now + 5.0;
                n->chill_began = n->now;
                n->chill_ticks = 0;
            }
            settle(n);
        }
    Foe *b = &n->foe[CRABS];
    while (b->there && due(n, b->timer + b->fired * 2.5)) {
        b->fired++;
        if (!due(n, n->safe_until) || luck(n, CUDGEL_DODGE, 1) < 0.05) continue;
        double damage = 10.0 + floor(luck(n, CUDGEL_DAMAGE, 1) * 9.0);
        if (luck(n, CUDGEL_CRIT, 1) < 0.1) damage *= 2.0;
        defend(n, damage, 0);
        n->strain += 25.0;
        n->strain_from = n->now;
        if (n->strain >= 80.0) { daze(n, 1.2); n->strain = 0.0; }
        settle(n);
    }
    while (due(n, 18.0 + n->ship_count * 18.0)) {
        n->ship_count += 1.0;
        if (worth(n, &n->oil) > 0.0 && n->ships < 99.0) n->ships += 1.0;
    }
    while (due(n, n->climb_due)) {
        n->climb_due += 5.0 + 7.0 * luck(n, CLIMBS, 1);
        for (int i = 0; i < CRABS; i++)
            if (!n->foe[i].there && n->foe[i].left < n->step) { crab_up(n, i); break; }
    }
    while (due(n, 45.0 + n->bosun_count * 45.0)) {
        n->bosun_count += 1.0;
        if (n->now - n->level_began > 40.0 && !b->there && b->left < n->step) bosun_up(n);
    }
    while (due(n, 24.0 + n->can_count * 24.0)) {
        n->can_count += 1.0;
        for (int i = 0; i < CANS; i++)
            if (!n->can[i] && n->can_left[i] < n->step) { n->can[i] = 1; break; }
    }
    while (due(n, n->stairs_due)) {
        n->stairs_due += 15.0 + 20.0 * luck(n, RUNS_DOWN, 1);
        double u = luck(n, STAIRS, 1);
        double speed = 5.0 + 1.5 * normal((floor(u * 4503599627370496.0) + 0.5) / 4503599627370496.0);
        if (speed > 6.0) { hurt(n, 4.0 * (speed - 6.0)); settle(n); }
    }
    /* flows */
    look(n, &n->stamina, 12.0, 1.0);
    look(n, &n->shutters, 5.0, n->shutters.at_limit ? 4.0 : 2.0);
    if (n->strain != 0.0 && due(n, n->strain_from + 8.0)) n->strain = 0.0;
    look(n, &n->oil, -0.5, 0.0);
    /* endings and levels */
    if (worth(n, &n->oil) <= 0.0) n->ending = LAMP_OUT;
    else if (n->lives <= 0.0) n->ending = KEEPER_LOST;
    else if (n->ships >= 12.0) n->ending = HARBOUR_SAFE;
    else {
        if (n->level == 0 && n->now - n->level_began >= 90.0) enter(n, 1);
        if (due(n, 240.0)) n->ending = UNFINISHED;
    }
}

/* Nights `first` to `first + count - 1` of a seed: how each ended, and in which step. */
void nights(uint64_t seed, uint32_t first, int64_t count, int8_t *ending, int32_t *steps) {
    for (int64_t i = 0; i < count; i++) {
        Night n;
        memset(&n, 0, sizeof n);
        n.seed = seed;
        n.run = first + (uint32_t)i;
        n.health = 100.0; n.lives = 3.0; n.broth = 2.0;
        n.stamina = (Flow){60.0, 0.0, 60.0, 0.0, 0.0, 0};
        n.shutters = (Flow){40.0, 0.0, 40.0, 0.0, 0.0, 0};
        n.oil = (Flow){70.0, -0.5, 0.0, 0.0, 0.0, 0};
        n.safe_until = n.swing_ready = -1e18;
        n.can_amount[0] = n.can_amount[1] = 15.0; n.can_amount[2] = 30.0;
        n.touch = -1;
        for (int j = 0; j <= CRABS; j++) n.foe[j].left = -1;
        for (int j = 0; j < CANS; j++) n.can_left[j] = -1;
        n.climb_due = 5.0 + 7.0 * luck(&n, CLIMBS, 1);
        n.stairs_due = 15.0 + 20.0 * luck(&n, RUNS_DOWN, 1);
        n.looks = 0.2 + 0.3 * luck(&n, LOOKS, 1);
        n.finds = 20.0 + 20.0 * luck(&n, FINDS, 1);
        n.ending = NONE;
        enter(&n, 0);
        while (n.ending == NONE) step(&n);
        ending[i] = (int8_t)n.ending;
        steps[i] = (int32_t)n.step;
    }
}
