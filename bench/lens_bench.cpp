// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <opencv2/imgproc.hpp>
#include <random>

#include "base/parallel.h"
#include "lens/resample.h"
#include "table.h"

namespace va::bench {

/// A 1080p plate through the undistortion map of a barrel lens, 8 bit and bicubic, against OpenCV's remap with the
/// same map and as many threads: once on three channels, which is what OpenCV needs for colour, and once on our four.
void measureLens(Table& table) {
    const int w = 1920, h = 1080;
    Intrinsics lens;
    lens.focalPx = 0.6 * w;
    lens.principalPoint = {(w - 1) / 2.0, (h - 1) / 2.0};
    lens.lens = LensModel::brownConrady(-0.18, 0.03);
    const UndistortedFrame frame = undistortedFrame(lens, w, h, Overscan::whole);
    const PixelMap map = undistortionMap(lens, frame, w, h);
    Picture8 plate(w, h);
    std::mt19937 random(1);
    for (uint8_t& v : plate.data) v = uint8_t(random());
    Picture8 out;
    const double ours =
        bestSeconds(10, [&] { out = resample(plate, map, Filter::bicubic, Edge::hold, std::move(out)); });
    cv::setNumThreads(threadCount());
    const cv::Mat mx(frame.height, frame.width, CV_32F, const_cast<float*>(map.x.data.data())),
        my(frame.height, frame.width, CV_32F, const_cast<float*>(map.y.data.data()));
    const cv::Mat four(h, w, CV_8UC4, plate.data.data());
    cv::Mat three, to;
    cv::cvtColor(four, three, cv::COLOR_BGRA2BGR);
    const double theirs3 = bestSeconds(10, [&] { cv::remap(three, to, mx, my, cv::INTER_CUBIC); });
    const double theirs4 = bestSeconds(10, [&] { cv::remap(four, to, mx, my, cv::INTER_CUBIC); });
    cv::setNumThreads(-1);
    char note[200];
    std::snprintf(note, sizeof note,
                  "1080p to %d × %d, bicubic, 8 bit: %.1f ms against %.1f (three channels) and %.1f (four), %d threads",
                  frame.width, frame.height, ours * 1e3, theirs3 * 1e3, theirs4 * 1e3, threadCount());
    table.push_back({"undistort_vs_opencv", ours / theirs3, "ratio", "<= 1", note});
}

}  // namespace va::bench
