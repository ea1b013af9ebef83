// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/camera_rays.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/parallel.h"

namespace va {

ProofFrame frameOfPlate(int width, int height, int step) {
    const double middle = (step - 1) / 2.0;
    return {(width + step - 1) / step, (height + step - 1) / step, middle, middle, double(step)};
}

CameraRays::CameraRays(const std::vector<FrameCamera>& over, const ProofFrame& frame, const Eigen::Vector3d& origin)
    : left_(frame.left - 2 * spacing - frame.step),
      top_(frame.top - 2 * spacing - frame.step),
      columns_(int(std::ceil((frame.width + 1) * frame.step / spacing)) + 5),
      rows_(int(std::ceil((frame.height + 1) * frame.step / spacing)) + 5) {
    constexpr float none = std::numeric_limits<float>::quiet_NaN();
    for (const FrameCamera& camera : over) {
        auto& table = tables_.emplace_back(size_t(columns_) * size_t(rows_));
        parallelRanges(rows_, 8, [&](int begin, int end) {
            for (int y = begin; y < end; ++y)
                for (int x = 0; x < columns_; ++x) {
                    Node& n = table[size_t(y) * size_t(columns_) + size_t(x)];
                    const auto ray = camera.ray({left_ + x * spacing, top_ + y * spacing});
                    n.along = ray ? Eigen::Vector3f(ray->direction.cast<float>()) : Eigen::Vector3f::Constant(none);
                    n.from = ray ? Eigen::Vector3f((ray->origin - origin).cast<float>()) : Eigen::Vector3f::Zero();
                }
        });
    }
    const FrameCamera& middle = over[over.size() / 2];
    spread_ = float(frame.step / middle.lens().focalPx);
    axes_ = middle.pose().worldFromCamera.toRotationMatrix().cast<float>();
    axes_.col(2) = -axes_.col(2);
}

bool CameraRays::node(size_t table, float x, float y, Node& out) const {
    const int x0 = std::clamp(int(x), 0, columns_ - 2), y0 = std::clamp(int(y), 0, rows_ - 2);
    const float fx = x - float(x0), fy = y - float(y0);
    const Node* n = tables_[table].data() + size_t(y0) * size_t(columns_) + size_t(x0);
    const Node &a = n[0], &b = n[1], &c = n[columns_], &d = n[columns_ + 1];
    const float wa = (1 - fx) * (1 - fy), wb = fx * (1 - fy), wc = (1 - fx) * fy, wd = fx * fy;
    out.along = wa * a.along + wb * b.along + wc * c.along + wd * d.along;
    out.from = wa * a.from + wb * b.from + wc * c.from + wd * d.from;
    return out.along.x() == out.along.x();
}

CameraRays CameraRays::strip(float time, const ProofFrame& frame, int top, int rows, double reach) const {
    const auto rowOf = [&](double y) { return int(std::floor((frame.top + y * frame.step - top_) / spacing)); };
    const int first = std::clamp(rowOf(top - 1 - reach), 0, rows_ - 2);
    const int last = std::clamp(rowOf(top + rows + reach) + 1, first + 1, rows_ - 1);
    CameraRays out;
    out.left_ = left_, out.top_ = top_ + first * spacing;
    out.columns_ = columns_, out.rows_ = last - first + 1;
    out.spread_ = spread_, out.axes_ = axes_;
    const float at = std::clamp(time, 0.0F, 1.0F) * float(tables_.size() - 1);
    const size_t i = std::min(size_t(at), tables_.size() - 1), next = std::min(i + 1, tables_.size() - 1);
    const float share = at - float(i);
    const size_t begin = size_t(first) * size_t(columns_), count = size_t(out.rows_) * size_t(columns_);
    auto& table = out.tables_.emplace_back(count);
    for (size_t k = 0; k < count; ++k) {
        const Node &a = tables_[i][begin + k], &b = tables_[next][begin + k];
        table[k].along = (1 - share) * a.along + share * b.along;
        table[k].from = (1 - share) * a.from + share * b.from;
    }
    return out;
}

std::optional<CameraRays::Line> CameraRays::at(const Eigen::Vector2f& px, float time) const {
    const auto x = float((double(px.x()) - left_) / spacing), y = float((double(px.y()) - top_) / spacing);
    Node n;
    if (tables_.size() == 1) {
        if (!node(0, x, y, n)) return std::nullopt;
    } else {
        const float at = std::clamp(time, 0.0F, 1.0F) * float(tables_.size() - 1);
        const size_t i = std::min(size_t(at), tables_.size() - 2);
        Node next;
        if (!node(i, x, y, n) || !node(i + 1, x, y, next)) return std::nullopt;
        const float share = at - float(i);
        n.along = (1 - share) * n.along + share * next.along;
        n.from = (1 - share) * n.from + share * next.from;
    }
    return Line{n.from, n.along.normalized()};
}

}  // namespace va
