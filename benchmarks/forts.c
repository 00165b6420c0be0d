/* Snow Forts (forts.yaml) by hand in C: nothing that the game does not need.
 *
 * The same luck and the same order as the game file, so every run ends in the same turn with the same health.
 */
#include <math.h>

#include "chance.h"

#define TURNS 100
#define EACH 4

static const uint64_t KNEADS = 0x571bf49132160f22;
static const uint64_t THROW_DODGED = 0xe07f594d0d19a5a0, THROW_DAMAGE = 0x193270802b04a2a;
static const uint64_t SHOVE_DODGED = 0x74b75a07df1808f9, SHOVE_DAMAGE = 0xea8dc98d0563f0c1;

typedef struct { double health, balls; int there; uint32_t kneaded, dodged, damaged; } One;

static int hurt(One *who, double damage) {
    who->health = who->health > damage ? who->health - damage : 0.0;
    who->there = who->health > 0.0;
    return !who->there;
}

/* Play some runs; the turn in which each ended, and the health of all together. */
void nights(uint64_t seed, uint32_t first, int64_t runs, int32_t *steps, double *health) {
    for (int64_t r = 0; r < runs; r++) {
        uint32_t run = first + (uint32_t)r;
        One throwers[EACH], keepers[EACH];
        for (int i = 0; i < EACH; i++) {
            throwers[i] = (One){14, 6, 1, 0, 0, 0};
            keepers[i] = (One){16, 0, 1, 0, 0, 0};
        }
        int throwing = EACH, keeping = EACH, k = 0;
        while (throwing && keeping && k < TURNS) {
            k++;
            for (uint32_t i = 0; i < EACH; i++) {
                One *t = &throwers[i];
                if (!t->there || t->balls >= 2.0) continue;
                t->balls += 1.0 + floor(uniform(seed ^ KNEADS, run, i + 1, ++t->kneaded) * 3.0);
                if (t->balls > 6.0) t->balls = 6.0;
            }
            for (uint32_t i = 0; i < EACH && keeping; i++) {
                One *t = &throwers[i];
                if (!t->there || t->balls < 1.0) continue;
                uint32_t aim = 0;
                while (!keepers[aim].there) aim++;
                t->balls -= 1.0;
                if (uniform(seed ^ THROW_DODGED, run, aim + 1, ++keepers[aim].dodged) < 0.1) continue;
                double damage = 2.0 + floor(uniform(seed ^ THROW_DAMAGE, run, i + 1, ++t->damaged) * 4.0) - 1.0;
                keeping -= hurt(&keepers[aim], damage);
            }
            if (k % 2) continue;
            for (uint32_t i = 0; i < EACH && throwing; i++) {
                One *t = &keepers[i];
                if (!t->there) continue;
                int aim = -1;
                for (int j = 0; j < EACH; j++)
                    if (throwers[j].there && (aim < 0 || throwers[j].health < throwers[aim].health)) aim = j;
                if (uniform(seed ^ SHOVE_DODGED, run, aim + 1, ++throwers[aim].dodged) < 0.2) continue;
                double damage = 3.0 + floor(uniform(seed ^ SHOVE_DAMAGE, run, i + 1, ++t->damaged) * 3.0);
                throwing -= hurt(&throwers[aim], damage);
            }
        }
        steps[r] = k;
        health[r] = 0.0;
        for (int i = 0; i < EACH; i++) health[r] += throwers[i].health + keepers[i].health;
    }
}
