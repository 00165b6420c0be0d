/* Ferry Toll (examples/ferry_toll.yaml) by hand in C: nothing that the game does not need.
 *
 * The same luck and the same order as the game file, so every run ends in the same turn with the same chests.
 */
#include <math.h>

#include "chance.h"

#define TURNS 200

static const uint64_t FOG = 0xece582f77e98d034, FARES = 0xa61f70906a38cd25, TALK = 0x43dad44611ab8f35;

typedef struct { double toll, chest, planks, regard; uint32_t fogs, fares, talks; } Ferry;

static double between(double low, double value, double high) { return value < low ? low : value > high ? high : value; }

/* Play some runs; the turn in which each ended, and what is in both chests together. */
void nights(uint64_t seed, uint32_t first, int64_t runs, int32_t *steps, double *chests) {
    for (int64_t r = 0; r < runs; r++) {
        Ferry ferries[2] = {{2, 10, 12, 0, 0, 0, 0}, {3, 10, 12, 0, 0, 0, 0}};
        uint32_t run = first + (uint32_t)r;
        int k = 0, over = 0;
        while (!over && k < TURNS) {
            k++;
            for (uint32_t i = 0; i < 2; i++) {
                Ferry *f = &ferries[i];
                if (f->planks < 4.0 || uniform(seed ^ FOG, run, i + 1, ++f->fogs) < 0.2) continue;
                double crowd = between(0.0, 6.0 + f->regard - f->toll, 9.0);
                double fare = floor(uniform(seed ^ FARES, run, i + 1, ++f->fares) * 3.0) + crowd * f->toll / 8.0;
                f->chest += floor(fare + 0.5);
                f->planks -= 1.0;
                if (f->planks <= 3.0) {
                    f->chest = f->chest > 4.0 ? f->chest - 4.0 : 0.0;
                    f->planks = 12.0;
                }
            }
            if (k % 5 == 0) {
                for (uint32_t i = 0; i < 2; i++) {
                    Ferry *f = &ferries[i];
                    double said = floor(uniform(seed ^ TALK, run, i + 1, ++f->talks) * 3.0) - 1.0;
                    f->regard = between(-5.0, f->regard + said, 5.0);
                }
            }
            over = ferries[0].chest >= 60.0 || ferries[1].chest >= 60.0;
        }
        steps[r] = k;
        chests[r] = ferries[0].chest + ferries[1].chest;
    }
}
