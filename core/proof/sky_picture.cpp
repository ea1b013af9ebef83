// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/sky_picture.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "media/display_transform.h"
#include "media/picture_file.h"

namespace va {
namespace {

/// The table that is sampled is no finer than this.
constexpr int largestTable = 1024;

/// The cell of a running sum that holds `u`, and the place within it, 0..1.
int cellOf(const float* sums, int count, float u, float& within) {
    const int i = std::min(int(std::upper_bound(sums, sums + count, u) - sums), count - 1);
    const float low = i > 0 ? sums[i - 1] : 0, high = sums[i];
    within = high > low ? std::clamp((u - low) / (high - low), 0.0F, 1.0F) : 0.5F;
    return i;
}

}  // namespace

Eigen::Vector2f skyPlace(const Eigen::Vector3f& d) {
    const float u = 0.5F + std::atan2(d.x(), -d.z()) / (2 * std::numbers::pi_v<float>);
    return {u >= 1 ? u - 1 : u, std::acos(std::clamp(d.y(), -1.0F, 1.0F)) / std::numbers::pi_v<float>};
}
Eigen::Vector3f skyDirection(const Eigen::Vector2f& p) {
    const float longitude = (p.x() - 0.5F) * 2 * std::numbers::pi_v<float>, down = p.y() * std::numbers::pi_v<float>;
    return {std::sin(down) * std::sin(longitude), std::cos(down), -std::sin(down) * std::cos(longitude)};
}

SkyPicture::SkyPicture(Picture linear) : picture_(std::move(linear)) {
    const int w = picture_.width, h = picture_.height;
    if (h < 2 || std::abs(w - 2 * h) > std::max(1, h / 50))
        throw InputError(
            text("The sky picture has %d × %d px. A picture of all directions is twice as wide as high: "
                 "take one that is stitched as latitude and longitude.",
                 w, h));
    for (float& v : picture_.data)
        if (!(v >= 0) || !std::isfinite(v)) v = 0, ++repaired_;
    rows_ = std::min(h, largestTable / 2), columns_ = std::min(w, largestTable);
    std::vector<double> weight(size_t(rows_) * size_t(columns_));
    Eigen::Vector3d sum = Eigen::Vector3d::Zero();
    double solid = 0;
    for (int y = 0; y < h; ++y) {
        const double s = std::sin((y + 0.5) / h * std::numbers::pi);
        solid += s * w;
        for (int x = 0; x < w; ++x) {
            const float* c = picture_.at(x, y);
            sum += s * Eigen::Vector3d(double(c[0]), double(c[1]), double(c[2]));
            weight[size_t(y * rows_ / h) * size_t(columns_) + size_t(x * columns_ / w)] +=
                s * double(c[0] + c[1] + c[2]);
        }
    }
    mean_ = (sum / solid).cast<float>();
    double total = 0;
    for (const double v : weight) total += v;
    if (!(total > 0)) throw InputError(text("The sky picture is black all over. Take another one."));
    // Dark places between bright ones are interpolated in the picture: no cell is left out altogether.
    for (double& v : weight) v = 0.98 * v / total + 0.02 / double(weight.size());
    rowsUpTo_.resize(size_t(rows_)), columnsUpTo_.resize(weight.size()), density_.resize(weight.size());
    double upTo = 0;
    for (int y = 0; y < rows_; ++y) {
        double row = 0, within = 0;
        for (int x = 0; x < columns_; ++x) row += weight[size_t(y) * size_t(columns_) + size_t(x)];
        for (int x = 0; x < columns_; ++x) {
            const size_t i = size_t(y) * size_t(columns_) + size_t(x);
            within += weight[i];
            columnsUpTo_[i] = float(within / row);
            density_[i] = float(weight[i] * double(weight.size()));
        }
        rowsUpTo_[size_t(y)] = float(upTo += row);
    }
}

std::shared_ptr<const SkyPicture> SkyPicture::fromFile(const std::string& file) {
    PictureFile read = readPicture(file);
    if (!read.floats)
        for (size_t i = 0; i < read.picture.data.size(); ++i)
            if (i % 4 != 3) read.picture.data[i] = linearFromDisplay(read.picture.data[i]);
    return std::make_shared<const SkyPicture>(std::move(read.picture));
}

Eigen::Vector3f SkyPicture::at(const Eigen::Vector3f& direction) const {
    const Eigen::Vector2f p = skyPlace(direction);
    const int w = picture_.width, h = picture_.height;
    const float x = p.x() * float(w) - 0.5F, y = std::clamp(p.y() * float(h) - 0.5F, 0.0F, float(h - 1));
    const float fx = x - std::floor(x), fy = y - std::floor(y);
    const int x0 = (int(std::floor(x)) + w) % w, x1 = (x0 + 1) % w, y0 = int(y), y1 = std::min(y0 + 1, h - 1);
    const auto c = [&](int px, int py) { return Eigen::Map<const Eigen::Vector3f>(picture_.at(px, py)); };
    return (1 - fy) * ((1 - fx) * c(x0, y0) + fx * c(x1, y0)) + fy * ((1 - fx) * c(x0, y1) + fx * c(x1, y1));
}

Eigen::Vector3f SkyPicture::sample(const Eigen::Vector2f& u, float& density) const {
    float inRow = 0, inColumn = 0;
    const int y = cellOf(rowsUpTo_.data(), rows_, u.y(), inRow);
    const size_t row = size_t(y) * size_t(columns_);
    const int x = cellOf(columnsUpTo_.data() + row, columns_, u.x(), inColumn);
    const Eigen::Vector2f place((float(x) + inColumn) / float(columns_), (float(y) + inRow) / float(rows_));
    const float s = std::sin(place.y() * std::numbers::pi_v<float>);
    density = s > 0 ? density_[row + size_t(x)] / (2 * std::numbers::pi_v<float> * std::numbers::pi_v<float> * s) : 0;
    return skyDirection(place);
}

float SkyPicture::density(const Eigen::Vector3f& direction) const {
    const Eigen::Vector2f p = skyPlace(direction);
    const int x = std::clamp(int(p.x() * float(columns_)), 0, columns_ - 1),
              y = std::clamp(int(p.y() * float(rows_)), 0, rows_ - 1);
    const float s = std::sin(p.y() * std::numbers::pi_v<float>);
    return s > 0 ? density_[size_t(y) * size_t(columns_) + size_t(x)] /
                       (2 * std::numbers::pi_v<float> * std::numbers::pi_v<float> * s)
                 : 0;
}

Eigen::Vector2f SkyPicture::brightest() const {
    float most = -1;
    Eigen::Vector2f out(0.5F, 0.5F);
    for (int y = 0; y < picture_.height; ++y)
        for (int x = 0; x < picture_.width; ++x) {
            const float* c = picture_.at(x, y);
            if (const float sum = c[0] + c[1] + c[2]; sum > most)
                most = sum,
                out = {(float(x) + 0.5F) / float(picture_.width), (float(y) + 0.5F) / float(picture_.height)};
        }
    return out;
}

}  // namespace va
