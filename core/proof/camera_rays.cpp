// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/camera_rays.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/cpu_clones.h"
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
    constexpr double none = std::numeric_limits<double>::quiet_NaN();
    const auto place = [&](int x, int y) { return Eigen::Vector2d(left_ + x * spacing, top_ + y * spacing); };
    // What the lens does is the same for all cameras, unless it zooms meanwhile.
    std::vector<Eigen::Vector3d> seen(size_t(columns_) * size_t(rows_));
    const Intrinsics* lens = nullptr;
    for (const FrameCamera& camera : over) {
        if (!lens || !(*lens == camera.lens())) {
            lens = &camera.lens();
            parallelRanges(rows_, 8, [&](int begin, int end) {
                for (int y = begin; y < end; ++y)
                    for (int x = 0; x < columns_; ++x)
                        seen[size_t(y) * size_t(columns_) + size_t(x)] =
                            cameraRay(*lens, place(x, y)).value_or(Eigen::Vector3d::Constant(none));
            });
        }
        auto& table = tables_.emplace_back(size_t(columns_) * size_t(rows_));
        parallelRanges(rows_, 8, [&](int begin, int end) {
            for (int y = begin; y < end; ++y) {
                const CameraPose pose = camera.poseAtRow(top_ + y * spacing);
                const Eigen::Matrix3f turn = pose.worldFromCamera.toRotationMatrix().cast<float>();
                const Eigen::Vector3f from = (pose.position - origin).cast<float>();
                for (int x = 0; x < columns_; ++x) {
                    const size_t i = size_t(y) * size_t(columns_) + size_t(x);
                    const Eigen::Vector3f along = turn * seen[i].cast<float>();
                    table[i] = Node{Four{from.x(), from.y(), from.z(), 0}, Four{along.x(), along.y(), along.z(), 0}};
                }
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
    return out.along[0] == out.along[0];
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
    const Four square = n.along * n.along;
    n.along /= std::sqrt(square[0] + square[1] + square[2]);
    return Line{{n.from[0], n.from[1], n.from[2]}, {n.along[0], n.along[1], n.along[2]}};
}

VA_CPU_CLONES void CameraRays::blend(const Table& table, const Lanes& x, const Lanes& y, Lanes3& from, Lanes3& along,
                                     LaneMask& on) {
    Lanes fx, fy;
    std::array<int, laneCount> node;
    for (size_t k = 0; k < laneCount; ++k) {
        const float column = (x[k] - table.left) * float(1 / spacing), row = (y[k] - table.top) * float(1 / spacing);
        const int x0 = std::clamp(int(column), 0, table.columns - 2), y0 = std::clamp(int(row), 0, table.rows - 2);
        fx[k] = column - float(x0), fy[k] = row - float(y0);
        node[k] = y0 * table.columns + x0;
    }
    for (size_t k = 0; k < laneCount; ++k) {
        if (!on[k]) continue;
        const Node *a = table.nodes + node[k], *c = a + table.columns;
        const Four upFrom = (1 - fx[k]) * a[0].from + fx[k] * a[1].from,
                   downFrom = (1 - fx[k]) * c[0].from + fx[k] * c[1].from;
        const Four up = (1 - fx[k]) * a[0].along + fx[k] * a[1].along,
                   down = (1 - fx[k]) * c[0].along + fx[k] * c[1].along;
        const Four f = (1 - fy[k]) * upFrom + fy[k] * downFrom, d = (1 - fy[k]) * up + fy[k] * down;
        from.x[k] = f[0], from.y[k] = f[1], from.z[k] = f[2];
        along.x[k] = d[0], along.y[k] = d[1], along.z[k] = d[2];
    }
    for (size_t k = 0; k < laneCount; ++k) {
        const float square = along.x[k] * along.x[k] + along.y[k] * along.y[k] + along.z[k] * along.z[k];
        const float share = 1 / std::sqrt(square);
        along.x[k] *= share, along.y[k] *= share, along.z[k] *= share;
        on[k] &= -int(square == square);
    }
}

void CameraRays::through(const Lanes& x, const Lanes& y, Lanes3& from, Lanes3& along, LaneMask& on) const {
    blend({tables_[0].data(), columns_, rows_, float(left_), float(top_)}, x, y, from, along, on);
}

}  // namespace va
