// SPDX-License-Identifier: GPL-3.0-or-later
#include "warp.h"

#include <Eigen/Geometry>
#include <cmath>
#include <random>

#include "media/plate_source.h"

namespace va::test {

Luma loadPhoto(const std::string& name) {
    const auto source = openPlate(std::string(VA_TEST_DATA) + "/photos/" + name);
    const Luma in = source->luma(source->info().frames.first);
    Luma out = in;
    for (int pass = 0; pass < 2; ++pass) {
        Luma rows = out;
        for (int y = 0; y < in.height; ++y)
            for (int x = 1; x + 1 < in.width; ++x)
                rows.at(x, y) = 0.25f * (out.at(x - 1, y) + out.at(x + 1, y)) + 0.5f * out.at(x, y);
        out = rows;
        for (int y = 1; y + 1 < in.height; ++y)
            for (int x = 0; x < in.width; ++x)
                out.at(x, y) = 0.25f * (rows.at(x, y - 1) + rows.at(x, y + 1)) + 0.5f * rows.at(x, y);
    }
    return out;
}

Luma warped(const Luma& photo, int width, int height,
            const std::function<Eigen::Vector2d(const Eigen::Vector2d&)>& sourceOf, double sigma, unsigned seed) {
    Luma out(width, height);
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(0, sigma > 0 ? sigma : 1);
    const auto lanczos = [](double x) {
        if (std::fabs(x) < 1e-9) return 1.0;
        if (std::fabs(x) >= 4) return 0.0;
        return 4 * std::sin(M_PI * x) * std::sin(M_PI * x / 4) / (M_PI * M_PI * x * x);
    };
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const Eigen::Vector2d s = sourceOf({x, y});
            const int ix = int(std::floor(s.x())), iy = int(std::floor(s.y()));
            double value = 128;
            if (ix >= 3 && iy >= 3 && ix + 4 < photo.width && iy + 4 < photo.height) {
                double wx[8], wy[8], sum = 0, total = 0;
                for (int k = 0; k < 8; ++k) wx[k] = lanczos(ix - 3 + k - s.x()), wy[k] = lanczos(iy - 3 + k - s.y());
                for (int j = 0; j < 8; ++j)
                    for (int i = 0; i < 8; ++i)
                        sum += wx[i] * wy[j] * photo.at(ix - 3 + i, iy - 3 + j), total += wx[i] * wy[j];
                value = sum / total;
            }
            out.at(x, y) = float(value + (sigma > 0 ? noise(random) : 0));
        }
    return out;
}

Eigen::Vector2d RotationZoom::forward(const Eigen::Vector2d& p) const {
    return middle + shift + zoom * (Eigen::Rotation2Dd(angle) * (p - middle));
}
Eigen::Vector2d RotationZoom::back(const Eigen::Vector2d& p) const {
    return middle + Eigen::Rotation2Dd(-angle) * (p - middle - shift) / zoom;
}

}  // namespace va::test
