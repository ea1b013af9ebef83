// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/camera_layers.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "layout/thing.h"

namespace va {
namespace {

constexpr int sines = 8;

/// One signal of a shake. `which` tells its signals apart.
double noise(uint32_t seed, uint32_t which, double spread, double rate, double seconds) {
    if (!(spread > 0)) return 0;
    std::seed_seq mixed{seed, which, 0x5ea5u};
    std::mt19937 random(mixed);
    const auto unit = [&] { return double(random()) / 4294967296.0; };
    // Half an octave each way; one frequency in the middle of each of even steps: two that lie near to each other would
    // beat for longer than a shot lasts.
    const double low = rate / std::sqrt(2.0), high = rate * std::sqrt(2.0);
    double frequency[sines], phase[sines], square = 0;
    for (int i = 0; i < sines; ++i) {
        frequency[i] = low + (high - low) * (i + 0.4 + 0.2 * unit()) / sines;
        phase[i] = 2 * std::numbers::pi * unit();
        square += frequency[i] * frequency[i] / sines;
    }
    const double scaled = rate / std::sqrt(square);
    double sum = 0;
    for (int i = 0; i < sines; ++i) sum += std::sin(2 * std::numbers::pi * frequency[i] * scaled * seconds + phase[i]);
    return spread * std::sqrt(2.0 / sines) * sum;
}

/// The solved cameras as a path that can be asked between frames.
class SolvedPath {
  public:
    SolvedPath(const CameraTrack& track, const Similarity& world) {
        for (const SolvedFrame& f : track.frames)
            if (f.solved) {
                const CameraPose pose = world.pose(f.pose);
                position_.set(f.frame, pose.position);
                position_.setBetween(f.frame, Between::smooth);
                rotation_.emplace_back(f.frame, pose.worldFromCamera);
                focal_.set(f.frame, track.intrinsics(f.frame).focalPx);
            }
    }
    [[nodiscard]] bool empty() const { return rotation_.empty(); }
    [[nodiscard]] bool has(int frame) const { return position_.key(frame) != nullptr; }
    [[nodiscard]] double first() const { return rotation_.front().first; }
    [[nodiscard]] double last() const { return rotation_.back().first; }
    [[nodiscard]] CameraPose at(double frame) const {
        const auto next = std::lower_bound(rotation_.begin(), rotation_.end(), frame,
                                           [](const auto& r, double f) { return r.first < f; });
        Eigen::Quaterniond turn;
        if (next == rotation_.begin()) turn = next->second;
        else if (next == rotation_.end()) turn = rotation_.back().second;
        else {
            const auto last = std::prev(next);
            turn = last->second.slerp((frame - last->first) / (next->first - last->first), next->second);
        }
        return {position_.at(frame), turn.normalized()};
    }
    [[nodiscard]] double focalAt(double frame) const { return focal_.at(frame); }

  private:
    Keyed<Eigen::Vector3d> position_;
    std::vector<std::pair<int, Eigen::Quaterniond>> rotation_;
    Keyed<double> focal_;
};

/// Gaussian weights over frames, of those that there are.
std::vector<CameraPose> smoothed(const std::vector<LayeredCamera>& cameras, const Steady& steady) {
    std::vector<CameraPose> out;
    const double width = std::max(1e-3, steady.width);
    for (const LayeredCamera& c : cameras) {
        Eigen::Vector3d position = Eigen::Vector3d::Zero();
        Eigen::Vector4d turn = Eigen::Vector4d::Zero();
        double total = 0;
        for (const LayeredCamera& o : cameras) {
            const double off = (o.frame - c.frame) / width;
            if (std::fabs(off) > 4) continue;
            const double w = std::exp(-off * off / 2);
            total += w;
            position += w * o.pose.position;
            const Eigen::Vector4d q = o.pose.worldFromCamera.coeffs();
            turn += (q.dot(c.pose.worldFromCamera.coeffs()) < 0 ? -w : w) * q;
        }
        out.push_back({steady.position ? Eigen::Vector3d(position / total) : c.pose.position,
                       steady.turn ? Eigen::Quaterniond(Eigen::Vector4d(turn.normalized())) : c.pose.worldFromCamera});
    }
    return out;
}

/// Pixel of the source's picture plane that a pixel of the layered picture looks at; nothing behind it.
std::optional<Eigen::Vector2d> seenAt(const LayeredCamera& c, const Intrinsics& lens, const Eigen::Vector2d& pixel) {
    const double f = c.focalPx, ax = f / lens.pixelAspect;
    const Eigen::Vector3d ray((pixel.x() - lens.principalPoint.x()) / ax, -(pixel.y() - lens.principalPoint.y()) / f,
                              -1);
    const Eigen::Vector3d there = c.source.worldFromCamera.conjugate() * (c.pose.worldFromCamera * ray);
    // More than 80° off the axis no picture is large enough.
    if (!(-there.z() > std::cos(80 * std::numbers::pi / 180) * there.norm())) return std::nullopt;
    return Eigen::Vector2d(lens.principalPoint.x() - ax * there.x() / there.z(),
                           lens.principalPoint.y() + f * there.y() / there.z());
}

/// The borders of the picture's outermost pixels, whose middle is (0, 0).
std::array<Eigen::Vector2d, 4> cornersOf(int width, int height, double share = 1) {
    const Eigen::Vector2d middle((width - 1) / 2.0, (height - 1) / 2.0),
        half(share * width / 2.0, share * height / 2.0);
    return {middle - half, middle + Eigen::Vector2d(half.x(), -half.y()), middle + half,
            middle + Eigen::Vector2d(-half.x(), half.y())};
}

}  // namespace

Eigen::Vector3d shakeAt(const Shake& shake, double seconds) {
    return {noise(shake.seed, 1, shake.px, shake.pxRate, seconds),
            noise(shake.seed, 2, shake.px, shake.pxRate, seconds),
            noise(shake.seed, 3, shake.degrees * std::numbers::pi / 180, shake.degreesRate, seconds)};
}

std::vector<LayeredCamera> layeredCameras(const CameraTrack& track, const Similarity& world, const CameraLayers& layers,
                                          FrameRange range, double rate) {
    std::vector<LayeredCamera> out;
    const SolvedPath path(track, world);
    if (path.empty()) return out;
    const OffsetPace& pace = layers.pace;
    const CameraPose start = path.at(std::clamp(range.first + (pace.on ? pace.begin : 0.0), path.first(), path.last()));
    const Eigen::Quaterniond heading(Eigen::AngleAxisd(pace.heading, Eigen::Vector3d::UnitY()));
    for (int frame = range.first; frame <= range.last; ++frame) {
        double from = frame;
        if (pace.on) from = range.first + pace.begin + pace.pace * (frame - range.first);
        if (!pace.on && !path.has(frame)) continue;
        from = std::clamp(from, path.first(), path.last());
        LayeredCamera c{frame, path.at(from), path.focalAt(from), from, path.at(from)};
        if (layers.look.on && !layers.look.turn.empty())
            c.pose.worldFromCamera = (c.pose.worldFromCamera * rotationOf(layers.look.turn.at(frame))).normalized();
        if (pace.on) {
            c.pose.position =
                start.position + pace.offset + heading * (pace.pathScale * (c.pose.position - start.position));
            c.pose.worldFromCamera = (heading * c.pose.worldFromCamera).normalized();
            // A scene that is turned as a whole shows the same picture.
            c.source.worldFromCamera = (heading * c.source.worldFromCamera).normalized();
        }
        if (layers.shake.on) {
            const Eigen::Vector3d s = shakeAt(layers.shake, (frame - range.first) / std::max(1e-6, rate));
            // The picture goes right and down where the camera turns left and up.
            const Eigen::Vector3d turn(std::atan2(s.y(), c.focalPx), std::atan2(s.x(), c.focalPx), s.z());
            c.pose.worldFromCamera = (c.pose.worldFromCamera * rotationOf(turn)).normalized();
        }
        out.push_back(c);
    }
    if (layers.steady.on) {
        const std::vector<CameraPose> steady = smoothed(out, layers.steady);
        for (size_t i = 0; i < out.size(); ++i) out[i].pose = steady[i];
    }
    return out;
}

double LayerOverscan::share(int width, int height) const {
    return std::max(double(width + left + right) / std::max(1, width),
                    double(height + top + bottom) / std::max(1, height));
}

LayerOverscan overscanOf(const std::vector<LayeredCamera>& cameras, const Intrinsics& lens, int width, int height) {
    // A picture's corners see farthest: what lies between them is seen between where they are.
    Eigen::Vector2d low(-0.5, -0.5), high(width - 0.5, height - 0.5);
    LayerOverscan out;
    for (const LayeredCamera& c : cameras)
        for (const Eigen::Vector2d& corner : cornersOf(width, height)) {
            const auto at = seenAt(c, lens, corner);
            if (!at) {
                out.possible = false;
                continue;
            }
            low = low.cwiseMin(*at), high = high.cwiseMax(*at);
        }
    // Rounding must not ask for a pixel of its own.
    const auto px = [](double v) { return std::max(0, int(std::ceil(v - 1e-9))); };
    out.left = px(-0.5 - low.x()), out.top = px(-0.5 - low.y());
    out.right = px(high.x() - (width - 0.5)), out.bottom = px(high.y() - (height - 0.5));
    return out;
}

double cropOf(const std::vector<LayeredCamera>& cameras, const Intrinsics& lens, int width, int height) {
    const auto fits = [&](double share) {
        for (const LayeredCamera& c : cameras)
            for (const Eigen::Vector2d& corner : cornersOf(width, height, share)) {
                const auto at = seenAt(c, lens, corner);
                if (!at || at->x() < -0.5 - 1e-9 || at->y() < -0.5 - 1e-9 || at->x() > width - 0.5 + 1e-9 ||
                    at->y() > height - 0.5 + 1e-9)
                    return false;
            }
        return true;
    };
    if (fits(1)) return 1;
    if (!fits(1e-3)) return 0;
    double low = 1e-3, high = 1;
    for (int i = 0; i < 50; ++i) (fits((low + high) / 2) ? low : high) = (low + high) / 2;
    return low;
}

}  // namespace va
