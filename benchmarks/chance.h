/* The luck of game files: a number in [0, 1) from the place, the run, the copy and how often it was drawn. */
#include <stdint.h>

static double uniform(uint64_t key, uint32_t run, uint32_t copy, uint32_t drawn) {
    uint32_t k0 = (uint32_t)key, k1 = (uint32_t)(key >> 32);
    uint32_t c0 = run, c1 = copy, c2 = drawn, c3 = 0;
    for (int i = 0; i < 10; i++) {
        uint64_t a = (uint64_t)c0 * 0xD2511F53u, b = (uint64_t)c2 * 0xCD9E8D57u;
        c0 = (uint32_t)(b >> 32) ^ c1 ^ k0;
        c1 = (uint32_t)b;
        c2 = (uint32_t)(a >> 32) ^ c3 ^ k1;
        c3 = (uint32_t)a;
        k0 += 0x9E3779B9u;
        k1 += 0xBB67AE85u;
    }
    return (double)(((uint64_t)c1 << 21) | (c0 >> 11)) * (1.0 / 9007199254740992.0);
}

static int is_due(double now, double when) { return now - when >= -1e-6 / 20.0; }
