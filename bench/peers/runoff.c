/* Rain as shallow water in eight virtual pipes a sample, the same scheme as the kernel's, in
 * plain C: -O3 -march=native -ffast-math, one thread. Prints milliseconds. */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

enum { N = 1024, S = N + 2 };
#define AT(y, x) ((size_t)((y) + 1) * S + (x) + 1)
#define GRID grid()

/* Grids begin at different places of a page, or all of them would fight for the same lines of the cache. */
static float *grid(void) {
  static int made = 0;
  return (float *)calloc((size_t)S * S + 4096, sizeof(float)) + 48 * made++;
}

static float pos(float v) { return v > 0 ? v : 0; }

static const float dx = 4, per = 0.25f, carry = 0.3f;
static float dt, keep, cell, straight, askew, wear, settle, dry, rain;

static void drive(int y, float *restrict bed, float *restrict change, float *restrict ground, float *restrict surface, float *restrict fe, float *restrict fs, float *restrict fse, float *restrict fsw, float *restrict wall) {
  for (int x = 0; x < N; x++) {
    size_t p = AT(y, x);
    ground[p] = bed[p] + change[p];
    float h = surface[p];
    fe[p] = keep * fe[p] + straight * wall[p + 1] * (h - surface[p + 1]);
    fs[p] = keep * fs[p] + straight * wall[p + S] * (h - surface[p + S]);
    fse[p] = keep * fse[p] + askew * wall[p + S + 1] * (h - surface[p + S + 1]);
    fsw[p] = keep * fsw[p] + askew * wall[p + S - 1] * (h - surface[p + S - 1]);
  }
}

static void bound(int y, float *restrict water, float *restrict limit, float *restrict fe, float *restrict fs, float *restrict fse, float *restrict fsw) {
  for (int x = 0; x < N; x++) {
    size_t p = AT(y, x);
    float out = pos(fe[p]) + pos(-fe[p - 1]) + pos(fs[p]) + pos(-fs[p - S]) + pos(fse[p]) + pos(-fse[p - S - 1]) + pos(fsw[p]) + pos(-fsw[p - S + 1]);
    float share = water[p] / fmaxf(1e-20f, out * cell);
    limit[p] = share < 1 ? share : 1;
  }
}

static void carry_on(int y, float *restrict carried, float *restrict limit, float *restrict fe, float *restrict fs, float *restrict fse, float *restrict fsw, float *restrict le, float *restrict ls, float *restrict lse, float *restrict lsw) {
  for (int x = 0; x < N; x++) {
    size_t p = AT(y, x);
    float f;
    f = fe[p] *= fe[p] > 0 ? limit[p] : limit[p + 1];
    le[p] = f * (f > 0 ? carried[p] : carried[p + 1]);
    f = fs[p] *= fs[p] > 0 ? limit[p] : limit[p + S];
    ls[p] = f * (f > 0 ? carried[p] : carried[p + S]);
    f = fse[p] *= fse[p] > 0 ? limit[p] : limit[p + S + 1];
    lse[p] = f * (f > 0 ? carried[p] : carried[p + S + 1]);
    f = fsw[p] *= fsw[p] > 0 ? limit[p] : limit[p + S - 1];
    lsw[p] = f * (f > 0 ? carried[p] : carried[p + S - 1]);
  }
}

static void move(int y, float *restrict bed, float *restrict change, float *restrict ground, float *restrict surface, float *restrict water, float *restrict sediment, float *restrict carried, float *restrict fe, float *restrict fs, float *restrict fse, float *restrict fsw, float *restrict le, float *restrict ls, float *restrict lse, float *restrict lsw) {
  for (int x = 0; x < N; x++) {
    size_t p = AT(y, x);
    float w = fe[p - 1], e = -fe[p], n = fs[p - S], s = -fs[p], nw = fse[p - S - 1], se = -fse[p], ne = fsw[p - S + 1], sw = -fsw[p];
    float d = water[p], now = pos(d + (w + e + n + s + nw + se + ne + sw) * cell);
    float held = pos(sediment[p] + (le[p - 1] - le[p] + ls[p - S] - ls[p] + lse[p - S - 1] - lse[p] + lsw[p - S + 1] - lsw[p]) * cell);
    float middle = fmaxf(1e-3f, 0.5f * (d + now));
    float vx = 0.5f * per * (w - e + nw - se - sw + ne), vy = 0.5f * per * (n - s + nw - se + ne - sw);
    float fast = 0.5f * dx / dt * middle, squared = fminf(fast * fast, vx * vx + vy * vy);
    float g = ground[p], gw = ground[p - 1], ge = ground[p + 1], gn = ground[p - S], gs = ground[p + S];
    float fx = per * (g - fminf(g, fminf(gw, ge))), fy = per * (g - fminf(g, fminf(gn, gs)));
    float fall = fmaxf(0.0004f, fx * fx + fy * fy);
    float capacity = carry * now * sqrtf(fall * squared * (1 + fall)) / ((1 + fall) * middle * (now + 0.05f));
    float missing = capacity - held, room = pos(0.25f * (g - fminf(fminf(gw, ge), fminf(gn, gs))));
    float was = change[p], is = was + settle * pos(-missing) - fminf(room, wear * pos(missing));
    change[p] = is;
    float left = pos(held + was - is), depth = now * dry + rain;
    sediment[p] = left;
    water[p] = depth;
    carried[p] = left / fmaxf(1e-6f, depth);
    surface[p] = bed[p] + is + depth;
  }
}

int main(int argc, char **argv) {
  int steps = argc > 1 ? atoi(argv[1]) : 100;
  float *bed = GRID, *change = GRID, *ground = GRID, *surface = GRID, *water = GRID, *sediment = GRID, *carried = GRID, *limit = GRID;
  float *fe = GRID, *fs = GRID, *fse = GRID, *fsw = GRID, *le = GRID, *ls = GRID, *lse = GRID, *lsw = GRID, *wall = GRID;
  for (size_t i = 0; i < (size_t)S * S; i++) bed[i] = ground[i] = surface[i] = 1e30f;
  for (int y = 0; y < N; y++)
    for (int x = 0; x < N; x++) {
      bed[AT(y, x)] = surface[AT(y, x)] = 300 * sinf(x * 0.05f) * cosf(y * 0.04f) + 12 * sinf(x * 1.7f + y * 2.3f);
      wall[AT(y, x)] = 1;
    }
  dt = 0.5f * dx / sqrtf(2 * 9.81f);
  keep = 1 - 0.12f * dt;
  cell = dt / (dx * dx);
  straight = dt * 9.81f * 2 / 3;
  askew = dt * 9.81f / 6;
  wear = settle = 0.04f * dt;
  dry = 1 - 0.01f * dt;
  rain = 4 * dt / 3600;
  struct timespec a, b;
  clock_gettime(CLOCK_MONOTONIC, &a);
  for (int step = 0; step < steps; step++) {
    for (int y = 0; y < N; y++) drive(y, bed, change, ground, surface, fe, fs, fse, fsw, wall);
    for (int y = 0; y < N; y++) bound(y, water, limit, fe, fs, fse, fsw);
    for (int y = 0; y < N; y++) carry_on(y, carried, limit, fe, fs, fse, fsw, le, ls, lse, lsw);
    for (int y = 0; y < N; y++) move(y, bed, change, ground, surface, water, sediment, carried, fe, fs, fse, fsw, le, ls, lse, lsw);
  }
  clock_gettime(CLOCK_MONOTONIC, &b);
  double sum = 0;
  for (int y = 0; y < N; y++) for (int x = 0; x < N; x++) sum += change[AT(y, x)];
  fprintf(stderr, "%g\n", sum);
  printf("%f\n", (b.tv_sec - a.tv_sec) * 1e3 + (b.tv_nsec - a.tv_nsec) / 1e6);
  return 0;
}
