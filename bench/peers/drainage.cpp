// Depressions filled with std::priority_queue (Barnes, Lehman & Mulla 2014) and D8 accumulation;
// with "fluvial N" instead N steps of stream power (Braun & Willett 2013) on the same ground,
// the water's way found anew in each. -O3 -march=native. The ground comes from a file of floats. Prints milliseconds.
#include <chrono>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <functional>
#include <queue>
#include <vector>

using Entry = std::pair<float, int>;

struct Way {
  int n;
  std::vector<float> filled;
  std::vector<int> receiver, order;
  std::vector<float> area;
  std::vector<uint8_t> donors;

  explicit Way(int side) : n(side), filled(side * side), receiver(side * side), order(side * side), area(side * side), donors(side * side) {}

  bool rim(int i) const { return i < n || i >= n * (n - 1) || i % n == 0 || i % n == n - 1; }

  void find(const std::vector<float> &h, float spacing) {
    const int off[8] = {-1, 1, -n, n, -n - 1, -n + 1, n - 1, n + 1};
    std::vector<uint8_t> seen(n * n, 0);
    std::priority_queue<Entry, std::vector<Entry>, std::greater<Entry>> open;
    std::queue<int> pit;
    for (int i = 0; i < n * n; i++)
      if (rim(i)) {
        seen[i] = 1;
        filled[i] = h[i];
        receiver[i] = i;
        open.push({h[i], i});
      }
    while (!open.empty() || !pit.empty()) {
      int p;
      if (!pit.empty()) {
        p = pit.front();
        pit.pop();
      } else {
        p = open.top().second;
        open.pop();
      }
      const int x = p % n, y = p / n;
      for (int k = 0; k < 8; k++) {
        const int dx = k == 0 || k == 4 || k == 6 ? -1 : k == 1 || k == 5 || k == 7 ? 1 : 0;
        const int dy = k == 2 || k == 4 || k == 5 ? -1 : k == 3 || k == 6 || k == 7 ? 1 : 0;
        if (x + dx < 0 || y + dy < 0 || x + dx >= n || y + dy >= n) continue;
        const int q = p + off[k];
        if (seen[q]) continue;
        seen[q] = 1;
        if (h[q] <= filled[p]) {
          filled[q] = filled[p];
          receiver[q] = p;
          pit.push(q);
        } else {
          filled[q] = h[q];
          receiver[q] = -1;
          open.push({h[q], q});
        }
      }
    }
    const float per = 1 / spacing, diagonal = 1 / (spacing * std::sqrt(2.0f));
    for (int i = 0; i < n * n; i++) {
      area[i] = 1;
      donors[i] = 0;
      if (receiver[i] >= 0) continue;
      float best = -1;
      for (int k = 0; k < 8; k++) {
        const float slope = (filled[i] - filled[i + off[k]]) * (k < 4 ? per : diagonal);
        if (slope > best) {
          best = slope;
          receiver[i] = i + off[k];
        }
      }
    }
    for (int i = 0; i < n * n; i++)
      if (receiver[i] != i) donors[receiver[i]]++;
    int count = 0;
    for (int i = 0; i < n * n; i++) {
      if (donors[i]) continue;
      int c = i;
      for (;;) {
        donors[c] = 255;
        order[count++] = c;
        const int r = receiver[c];
        if (r == c) break;
        area[r] += area[c];
        if (--donors[r]) break;
        c = r;
      }
    }
  }
};

int main(int argc, char **argv) {
  const int n = std::atoi(argv[2]);
  std::vector<float> h(size_t(n) * n);
  FILE *file = std::fopen(argv[1], "rb");
  if (!file || std::fread(h.data(), 4, h.size(), file) != h.size()) return 1;
  std::fclose(file);
  const int steps = argc > 3 ? std::atoi(argv[3]) : 0;
  const float spacing = 8;
  Way way(n);
  const auto began = std::chrono::steady_clock::now();
  if (steps == 0) way.find(h, spacing);
  std::vector<float> bed = h;
  for (int s = 0; s < steps; s++) {
    way.find(h, spacing);
    std::vector<float> pull(n * n);
    for (int i = 0; i < n * n; i++) {
      const int r = way.receiver[i];
      if (r == i) continue;
      const int aside = std::abs(r - i);
      const float far = aside == 1 || aside == n ? spacing : spacing * std::sqrt(2.0f);
      const float a = way.area[i] * spacing * spacing;
      pull[i] = 5 * std::pow(a * a / (a + 3600), 0.45f) / far;
    }
    for (int k = n * n - 1; k >= 0; k--) {
      const int i = way.order[k], r = way.receiver[i];
      if (r == i) continue;
      if (bed[i] > h[r]) {
        h[i] = h[r] + (bed[i] - h[r]) / (1 + pull[i]);
        const int aside = std::abs(r - i);
        const float most = h[r] + 1.28f * (aside == 1 || aside == n ? spacing : spacing * std::sqrt(2.0f));
        if (h[i] > most) h[i] = most;
      } else {
        h[i] = bed[i];
      }
    }
    // Silt, so that the next step's ground drains.
    for (int k = n * n - 1; k >= 0; k--) {
      const int i = way.order[k], r = way.receiver[i];
      if (r != i && h[i] < h[r]) h[i] = h[r] + 0.0005f * spacing;
    }
  }
  const auto ended = std::chrono::steady_clock::now();
  std::fprintf(stderr, "%g %g\n", way.area[n * (n / 2)], h[n * (n / 2) + n / 2]);
  std::printf("%f\n", std::chrono::duration<double, std::milli>(ended - began).count());
}
