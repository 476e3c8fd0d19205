// A mesh looked at from straight above, in C++: for every sample the height of the topmost
// triangle, by barycentric weights in double precision. Reads a raw file: counts of vertices and
// indices (u32), positions (f32), indices (u32); prints the milliseconds.
#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <limits>
#include <vector>

int main(int, char **argv) {
  FILE *file = std::fopen(argv[1], "rb");
  const int side = std::atoi(argv[2]);
  uint32_t counts[2];
  if (std::fread(counts, 4, 2, file) != 2) return 1;
  std::vector<float> p(3 * counts[0]);
  std::vector<uint32_t> t(counts[1]);
  if (std::fread(p.data(), 4, p.size(), file) != p.size() || std::fread(t.data(), 4, t.size(), file) != t.size()) return 1;
  std::fclose(file);
  const auto began = std::chrono::steady_clock::now();
  double west = INFINITY, east = -INFINITY, north = INFINITY, south = -INFINITY;
  for (size_t i = 0; i < p.size(); i += 3) {
    west = std::min<double>(west, p[i]);
    east = std::max<double>(east, p[i]);
    north = std::min<double>(north, p[i + 2]);
    south = std::max<double>(south, p[i + 2]);
  }
  const double dx = (east - west) / (side - 1), dy = (south - north) / (side - 1);
  std::vector<double> top(size_t(side) * side, -INFINITY), bottom(size_t(side) * side, INFINITY);
  const double slack = 1e-9;
  for (size_t k = 0; k < t.size(); k += 3) {
    const float *a = &p[3 * t[k]], *b = &p[3 * t[k + 1]], *c = &p[3 * t[k + 2]];
    const double ax = (a[0] - west) / dx, ay = (a[2] - north) / dy, bx = (b[0] - west) / dx, by = (b[2] - north) / dy, cx = (c[0] - west) / dx, cy = (c[2] - north) / dy;
    const double area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
    if (std::abs(area) < 1e-12) continue;
    const int left = std::max(0, int(std::ceil(std::min({ax, bx, cx}) - slack))), right = std::min(side - 1, int(std::floor(std::max({ax, bx, cx}) + slack)));
    const int first = std::max(0, int(std::ceil(std::min({ay, by, cy}) - slack))), last = std::min(side - 1, int(std::floor(std::max({ay, by, cy}) + slack)));
    for (int row = first; row <= last; row++) {
      for (int column = left; column <= right; column++) {
        const double wa = ((bx - column) * (cy - row) - (cx - column) * (by - row)) / area;
        const double wb = ((cx - column) * (ay - row) - (ax - column) * (cy - row)) / area;
        const double wc = 1 - wa - wb;
        if (wa < -slack || wb < -slack || wc < -slack) continue;
        const double height = wa * a[1] + wb * b[1] + wc * c[1];
        double &over = top[size_t(row) * side + column], &under = bottom[size_t(row) * side + column];
        over = std::max(over, height);
        under = std::min(under, height);
      }
    }
  }
  std::vector<float> out(top.begin(), top.end());
  const auto ended = std::chrono::steady_clock::now();
  volatile float kept = out[out.size() / 2];
  (void)kept;
  std::printf("%.3f\n", std::chrono::duration<double, std::milli>(ended - began).count());
}
