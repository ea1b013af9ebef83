// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/picture_match.h"

#include <algorithm>
#include <cmath>
#include <opencv2/calib3d.hpp>
#include <opencv2/features2d.hpp>

namespace va {
namespace {

constexpr int descriptorSize = 128;
constexpr double clearlyBetter = 0.8;   ///< of the second best distance
constexpr double epipolarPx = 2;        ///< px that a pair may miss the epipolar line by
constexpr size_t fewestAgreeing = 16;   ///< pairs
constexpr double shareAgreeing = 0.35;  ///< of the pairs, below which chance explains them

cv::Mat descriptorsOf(const PictureSpots& s) {
    return cv::Mat(int(s.at.size()), descriptorSize, CV_32F, const_cast<float*>(s.descriptors.data()));
}

/// Each spot's best match in the other picture, where it is clearly better than the second best; else −1.
std::vector<int> bestOf(const cv::Mat& from, const cv::Mat& to) {
    std::vector<std::vector<cv::DMatch>> found;
    cv::BFMatcher(cv::NORM_L2).knnMatch(from, to, found, 2);
    std::vector<int> out(size_t(from.rows), -1);
    for (const auto& pair : found)
        if (pair.size() == 2 && double(pair[0].distance) < clearlyBetter * double(pair[1].distance))
            out[size_t(pair[0].queryIdx)] = pair[0].trainIdx;
    return out;
}

}  // namespace

PictureSpots describePicture(const Luma& picture, int most) {
    PictureSpots out;
    if (picture.empty()) return out;
    cv::Mat bytes(picture.height, picture.width, CV_8U);
    for (int y = 0; y < picture.height; ++y)
        for (int x = 0; x < picture.width; ++x)
            bytes.at<unsigned char>(y, x) = cv::saturate_cast<unsigned char>(picture.at(x, y));
    std::vector<cv::KeyPoint> points;
    cv::Mat descriptors;
    cv::SIFT::create(most)->detectAndCompute(bytes, cv::noArray(), points, descriptors);
    for (int i = 0; i < int(points.size()); ++i) {
        const cv::KeyPoint& p = points[size_t(i)];
        const Eigen::Vector2d at(double(p.pt.x), double(p.pt.y));
        // Spots with two main gradients come twice.
        if (!out.at.empty() && (out.at.back() - at).squaredNorm() < 1e-6) continue;
        out.at.push_back(at);
        out.size.push_back(double(p.size));
        out.angle.push_back(double(p.angle) * M_PI / 180);
        const float* d = descriptors.ptr<float>(i);
        float sum = 1e-9f;
        for (int k = 0; k < descriptorSize; ++k) sum += d[k];
        for (int k = 0; k < descriptorSize; ++k) out.descriptors.push_back(std::sqrt(d[k] / sum));
    }
    return out;
}

std::vector<SpotMatch> matchSpots(const PictureSpots& a, const PictureSpots& b) {
    if (a.at.size() < 2 || b.at.size() < 2) return {};
    const std::vector<int> there = bestOf(descriptorsOf(a), descriptorsOf(b)),
                           back = bestOf(descriptorsOf(b), descriptorsOf(a));
    std::vector<SpotMatch> pairs;
    std::vector<cv::Point2d> inA, inB;
    for (int i = 0; i < int(there.size()); ++i) {
        const int j = there[size_t(i)];
        if (j < 0 || back[size_t(j)] != i) continue;
        pairs.push_back({i, j});
        inA.emplace_back(a.at[size_t(i)].x(), a.at[size_t(i)].y());
        inB.emplace_back(b.at[size_t(j)].x(), b.at[size_t(j)].y());
    }
    if (pairs.size() < fewestAgreeing) return {};
    std::vector<unsigned char> agrees;
    cv::findFundamentalMat(inA, inB, cv::USAC_MAGSAC, epipolarPx, 0.9999, 10000, agrees);
    std::vector<SpotMatch> out;
    for (size_t i = 0; i < agrees.size(); ++i)
        if (agrees[i]) out.push_back(pairs[i]);
    const bool chance = out.size() < fewestAgreeing || double(out.size()) < shareAgreeing * double(pairs.size());
    return chance ? std::vector<SpotMatch>() : out;
}

}  // namespace va
