// SPDX-License-Identifier: GPL-3.0-or-later
// Turns straight, noise-free renders into footage: lens distortion, pixel filter, sensor-like noise, sRGB encoding.
// It stands alone on purpose and shares no code with the product, so that the demo data is a judge from outside.
//
//   bend OUT_W OUT_H RENDER_FOCAL FOCAL CX CY K1 K2 SEED FIRST LAST PATTERN TURNS SAMPLES MOMENTS GRAIN > rgb24 frames
//
// PATTERN is a printf pattern of binary 16-bit linear PPM renders whose principal point is their exact middle.
// Each output pixel is mapped to the straight render by inverting x_d = x (1 + k1 r^2 + k2 r^4), and the render is
// integrated there with a Mitchell-Netravali kernel as wide as two output pixels each way: the kernel is centred on
// the exact sub-pixel position, so that no pixel is moved.
// The TURNS "bent" lays the kernel out on the bent picture instead: each point of the render counts by its bent place
// and by the area that it has there. Strong lenses need that: a pixel at their edge takes in more of the straight
// picture. Other TURNS ("-" for none) are a file that holds, for each frame, SAMPLES rotation matrices (columns: right,
// up, back of the camera at that moment of the open shutter, in the render's camera): the light is averaged over them
// before noise is added, GRAIN times that of a good sensor. With MOMENTS "rows" instead of "open" they go from the first row's reading to the last one's,
// and each row has its own.
#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <random>
#include <string>
#include <vector>

namespace {
double mitchell(double x) {
    x = std::fabs(x);
    if (x < 1) return (7.0 * x * x * x - 12.0 * x * x + 16.0 / 3.0) / 6.0;
    if (x < 2) return (-7.0 / 3.0 * x * x * x + 12.0 * x * x - 20.0 * x + 32.0 / 3.0) / 6.0;
    return 0;
}

struct Render {
    int width = 0, height = 0;
    std::vector<float> rgb;

    /// Mean light around (u, v) under the pixel filter; false where the filter leaves the render.
    bool integrate(double u, double v, double scale, double light[3]) const {
        const double reach = 2 * scale;
        const int u0 = int(std::ceil(u - reach)), u1 = int(std::floor(u + reach));
        const int v0 = int(std::ceil(v - reach)), v1 = int(std::floor(v + reach));
        if (u0 < 0 || v0 < 0 || u1 >= width || v1 >= height) return false;
        double wx[32], sum[3] = {}, total = 0;
        for (int i = u0; i <= u1; ++i) wx[i - u0] = mitchell((i - u) / scale);
        for (int j = v0; j <= v1; ++j) {
            const double wy = mitchell((j - v) / scale);
            const float* p = &rgb[(size_t(j) * width + u0) * 3];
            for (int i = u0; i <= u1; ++i, p += 3) {
                const double k = wy * wx[i - u0];
                total += k;
                sum[0] += k * p[0];
                sum[1] += k * p[1];
                sum[2] += k * p[2];
            }
        }
        for (int c = 0; c < 3; ++c) light[c] = sum[c] / total;
        return true;
    }
};

/// Where each pixel of the render goes in the bent picture, and the area that it takes there.
struct BentPlaces {
    std::vector<float> x, y, area;

    BentPlaces(int width, int height, double renderFocal, double focal, double cx, double cy, double k1, double k2) {
        for (int j = 0; j < height; ++j)
            for (int i = 0; i < width; ++i) {
                const double sx = (i - (width - 1) / 2.0) / renderFocal, sy = (j - (height - 1) / 2.0) / renderFocal;
                const double q = sx * sx + sy * sy, m = 1 + k1 * q + k2 * q * q;
                const double along = std::max(0.0, 1 + 3 * k1 * q + 5 * k2 * q * q);
                x.push_back(float(focal * sx * m + cx));
                y.push_back(float(focal * sy * m + cy));
                area.push_back(float(along * m));
            }
    }

    /// Mean light of the output pixel (px, py), which lies at (u, v) in the render and reaches `reach` render pixels.
    bool integrate(const Render& r, double u, double v, double px, double py, double reach, double light[3]) const {
        const int u0 = int(std::ceil(u - reach)), u1 = int(std::floor(u + reach));
        const int v0 = int(std::ceil(v - reach)), v1 = int(std::floor(v + reach));
        if (u0 < 0 || v0 < 0 || u1 >= r.width || v1 >= r.height) return false;
        double sum[3] = {}, total = 0;
        for (int j = v0; j <= v1; ++j)
            for (int i = u0; i <= u1; ++i) {
                const size_t at = size_t(j) * size_t(r.width) + size_t(i);
                const double dx = x[at] - px, dy = y[at] - py;
                if (std::fabs(dx) >= 2 || std::fabs(dy) >= 2) continue;
                const double k = mitchell(dx) * mitchell(dy) * area[at];
                total += k;
                for (int c = 0; c < 3; ++c) sum[c] += k * r.rgb[at * 3 + size_t(c)];
            }
        for (int c = 0; c < 3; ++c) light[c] = sum[c] / total;
        return true;
    }
};

Render readPpm(const std::string& name) {
    std::FILE* f = std::fopen(name.c_str(), "rb");
    Render r;
    int top = 0;
    // Header numbers may have comment lines between them.
    const auto number = [&](int& into) {
        int c = std::fgetc(f);
        while (c == '#' || std::isspace(c)) {
            if (c == '#')
                while (c != '\n' && c != EOF) c = std::fgetc(f);
            c = std::fgetc(f);
        }
        std::ungetc(c, f);
        return std::fscanf(f, "%d", &into) == 1;
    };
    if (!f || std::fgetc(f) != 'P' || std::fgetc(f) != '6' || !number(r.width) || !number(r.height) || !number(top) ||
        top != 65535) {
        std::fprintf(stderr, "bend: %s is not a 16-bit PPM\n", name.c_str());
        std::exit(1);
    }
    std::fgetc(f);
    std::vector<uint8_t> raw(size_t(r.width) * r.height * 6);
    if (std::fread(raw.data(), 1, raw.size(), f) != raw.size()) std::exit(1);
    std::fclose(f);
    r.rgb.resize(raw.size() / 2);
    for (size_t i = 0; i < r.rgb.size(); ++i) r.rgb[i] = float(raw[2 * i] << 8 | raw[2 * i + 1]) / 65535.0f;
    return r;
}

double srgb(double v) { return v <= 0.0031308 ? 12.92 * v : 1.055 * std::pow(v, 1 / 2.4) - 0.055; }
}  // namespace

int main(int argc, char** argv) {
    if (argc != 17) return 2;
    const int w = std::atoi(argv[1]), h = std::atoi(argv[2]);
    const double renderFocal = std::atof(argv[3]), focal = std::atof(argv[4]), cx = std::atof(argv[5]),
                 cy = std::atof(argv[6]);
    const double k1 = std::atof(argv[7]), k2 = std::atof(argv[8]);
    const unsigned seed = unsigned(std::atoi(argv[9]));
    const double scale = renderFocal / focal;
    const int samples = std::atoi(argv[14]);
    const double grain = std::atof(argv[16]);
    const bool byRow = std::string(argv[15]) == "rows";
    std::vector<std::array<double, 9>> turns;
    const bool layOnBent = std::string(argv[13]) == "bent";
    std::vector<BentPlaces> places;
    if (argv[13][0] != '-' && !layOnBent) {
        std::FILE* f = std::fopen(argv[13], "r");
        std::array<double, 9> m;
        while (f) {
            int got = 0;
            for (double& v : m) got += std::fscanf(f, "%lf", &v);
            if (got != 9) break;
            turns.push_back(m);
        }
        if (f) std::fclose(f);
    }
    std::vector<uint8_t> out(size_t(w) * h * 3);
    for (int frame = std::atoi(argv[10]); frame <= std::atoi(argv[11]); ++frame) {
        char name[4096];
        std::snprintf(name, sizeof name, argv[12], frame);
        const Render r = readPpm(name);
        if (layOnBent && places.empty()) places.emplace_back(r.width, r.height, renderFocal, focal, cx, cy, k1, k2);
        std::mt19937 random(seed * 7919u + unsigned(frame));
        std::normal_distribution<double> gauss;
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) {
                const double xd = (x - cx) / focal, yd = (y - cy) / focal, rd = std::hypot(xd, yd);
                double ru = rd;
                for (int i = 0; i < 20; ++i) {
                    const double q = ru * ru;
                    ru -= (ru * (1 + k1 * q + k2 * q * q) - rd) / (1 + 3 * k1 * q + 5 * k2 * q * q);
                }
                const double m = rd > 1e-12 ? ru / rd : 1;
                double light[3] = {};
                const int moments = turns.empty() || byRow ? 1 : samples;
                for (int k = 0; k < moments; ++k) {
                    double sx = xd * m, sy = yd * m;
                    if (!turns.empty()) {
                        const double at = byRow ? double(y) / (h - 1) * (samples - 1) : k;
                        const size_t before = size_t(frame) * size_t(samples) + size_t(std::min(int(at), samples - 2));
                        const double share = at - std::min(int(at), samples - 2);
                        std::array<double, 9> R;
                        for (size_t e = 0; e < 9; ++e)
                            R[e] = turns[before][e] * (1 - share) + turns[before + 1][e] * share;
                        // Camera axes are right, up, back; the picture's y is down and it looks along -back.
                        const double d[3] = {sx, -sy, -1};
                        double r3[3];
                        for (int a = 0; a < 3; ++a) r3[a] = R[3 * a] * d[0] + R[3 * a + 1] * d[1] + R[3 * a + 2] * d[2];
                        sx = r3[0] / -r3[2];
                        sy = -r3[1] / -r3[2];
                    }
                    double one[3];
                    const double u = renderFocal * sx + (r.width - 1) / 2.0,
                                 v = renderFocal * sy + (r.height - 1) / 2.0;
                    // Outward the straight picture is squeezed: two output pixels reach further there.
                    const double stretch =
                        1 / std::max(0.1, std::min(1 / m, 1 + 3 * k1 * ru * ru + 5 * k2 * ru * ru * ru * ru));
                    const bool inside =
                        layOnBent
                            ? places[0].integrate(r, u, v, x, y, 2 * scale * std::max(1.0, stretch) * 1.1 + 1, one)
                            : r.integrate(u, v, scale, one);
                    if (!inside) {
                        std::fprintf(stderr, "bend: the render is too small for the lens\n");
                        return 1;
                    }
                    for (int c = 0; c < 3; ++c) light[c] += one[c] / moments;
                }
                for (int c = 0; c < 3; ++c) {
                    const double value = std::max(0.0, light[c]);
                    const double noisy = value + grain * gauss(random) * std::sqrt(1.0e-4 * value + 2e-6);
                    out[(size_t(y) * w + x) * 3 + c] =
                        uint8_t(std::lround(255 * std::clamp(srgb(std::max(0.0, noisy)), 0.0, 1.0)));
                }
            }
        std::fwrite(out.data(), 1, out.size(), stdout);
    }
}
