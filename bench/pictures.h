// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>

#include "base/plane.h"

namespace va::bench {

/// Luma as OpenCV takes it: whole grey levels.
inline cv::Mat bytes(const Luma& l) {
    cv::Mat m(l.height, l.width, CV_8U);
    for (int y = 0; y < l.height; ++y)
        for (int x = 0; x < l.width; ++x) m.at<uchar>(y, x) = cv::saturate_cast<uchar>(l.at(x, y));
    return m;
}

}  // namespace va::bench
