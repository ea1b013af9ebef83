// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/plate_watch.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "base/row_sums.h"

namespace va {
namespace {

Luma sixteenth(const Luma& in) {
    Luma out(std::max(1, in.width / 16), std::max(1, in.height / 16));
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x) {
            float sum = 0;
            int n = 0;
            for (int j = y * 16; j < std::min(in.height, y * 16 + 16); j += 3)
                for (int i = x * 16; i < std::min(in.width, x * 16 + 16); i += 2) sum += in.at(i, j), ++n;
            out.at(x, y) = sum / float(std::max(1, n));
        }
    return out;
}

/// What is left when each row's mean is taken out: nearly all pictures are light above and dark below, whatever they
/// show.
Luma withoutRowMeans(Luma l) {
    for (int y = 0; y < l.height; ++y) {
        float mean = 0;
        for (int x = 0; x < l.width; ++x) mean += l.at(x, y) / float(l.width);
        for (int x = 0; x < l.width; ++x) l.at(x, y) -= mean;
    }
    return l;
}

/// Correlation of two pictures of one size without their rows' means, −1..1; 1 when either is flat.
double likeness(const Luma& first, const Luma& second) {
    const Luma a = withoutRowMeans(first), b = withoutRowMeans(second);
    if (a.data.size() != b.data.size() || a.data.empty()) return 0;
    double sa = 0, sb = 0, saa = 0, sbb = 0, sab = 0;
    for (size_t i = 0; i < a.data.size(); ++i) {
        const double x = double(a.data[i]), y = double(b.data[i]);
        sa += x, sb += y, saa += x * x, sbb += y * y, sab += x * y;
    }
    const double n = double(a.data.size()), va = saa - sa * sa / n, vb = sbb - sb * sb / n;
    return va > 1e-6 * n && vb > 1e-6 * n ? (sab - sa * sb / n) / std::sqrt(va * vb) : 1;
}

/// Mean difference of two pictures of one size.
double difference(const Luma& a, const Luma& b) {
    double sum = 0;
    for (int y = 0; y < a.height; ++y) sum += double(sumOfDifferences(a.row(y), b.row(y), a.width)) / a.width;
    return a.height > 0 ? sum / a.height : 0;
}

/// Rows from one that is kept to the next: odd, so that both fields are asked, and some 150 rows tell all there is.
int rowStep(int height) { return std::max(3, height / 300 * 2 + 1); }

/// The row of the picture that row k of the kept ones is, with two more on each side.
int keptRow(int k, int height) { return rowStep(height) * k + 2; }

Luma rowsToKeep(const Luma& in, Luma spare) {
    const int step = rowStep(in.height), rows = std::max(0, in.height - 5 + step) / step;
    spare.width = in.width;
    spare.height = rows;
    spare.data.resize(size_t(in.width) * size_t(rows));
    for (int k = 0; k < rows; ++k) std::copy_n(in.row(keptRow(k, in.height)), in.width, spare.row(k));
    return spare;
}

/// Over places that changed: how much a line differs from the mean of its neighbours, against how much it differs from
/// the mean of the lines two away. Woven pictures agree better two lines away; ordinary ones with the neighbours.
double combing(const Luma& now, const Luma& before) {
    double near = 0, far = 0;
    for (int k = 0; k < before.height; ++k) {
        const int y = keptRow(k, now.height);
        float one = 0, two = 0;
        combSums(now.row(y), before.row(k), now.row(y - 1), now.row(y + 1), now.row(y - 2), now.row(y + 2), now.width,
                 8, one, two);
        near += double(one);
        far += double(two);
    }
    return far > 1.8 * before.height ? near / far : 0;
}

double medianOf(std::vector<double> v) {
    if (v.empty()) return 0;
    std::nth_element(v.begin(), v.begin() + std::ptrdiff_t(v.size() / 2), v.end());
    return v[v.size() / 2];
}

}  // namespace

void PlateWatch::see(int frame, const Luma& picture) {
    Seen s;
    s.frame = frame;
    s.small = sixteenth(picture);
    double squares = 0;
    for (float v : s.small.data) s.mean += double(v), squares += double(v) * double(v);
    const double n = double(std::max<size_t>(1, s.small.data.size()));
    s.mean /= n;
    s.contrast = std::sqrt(std::max(0.0, squares / n - s.mean * s.mean));
    Luma rows = rowsToKeep(picture, std::move(spare_));
    if (lastHeight_ == picture.height && last_.width == picture.width && !seen_.empty()) {
        s.change = difference(s.small, seen_.back().small);
        s.fullChange = difference(rows, last_);
        s.correlation = likeness(s.small, seen_.back().small);
        s.comb = combing(picture, last_);
    }
    spare_ = std::exchange(last_, std::move(rows));
    lastHeight_ = picture.height;
    seen_.push_back(std::move(s));
}

PlateFindings PlateWatch::findings() const {
    PlateFindings out;
    std::vector<double> changes, full;
    for (size_t i = 1; i < seen_.size(); ++i) changes.push_back(seen_[i].change), full.push_back(seen_[i].fullChange);
    const double usual = std::max(0.3, medianOf(changes));
    int woven = 0, moving = 0;
    for (size_t i = 0; i < seen_.size(); ++i) {
        const Seen& s = seen_[i];
        const bool black = s.mean < 6 && s.contrast < 1.5;
        if (black) out.black.push_back(s.frame);
        if (i == 0) continue;
        const Seen& before = seen_[i - 1];
        const bool wasBlack = before.mean < 6 && before.contrast < 1.5;
        if (!black && !wasBlack && s.change > 5 * usual && s.change > 4 && s.correlation < 0.6) {
            // A flash: the frame after goes back to what was before.
            const bool flash = i + 1 < seen_.size() && likeness(seen_[i + 1].small, before.small) > 0.8;
            const bool back = i >= 2 && likeness(s.small, seen_[i - 2].small) > 0.8;
            if (!flash && !back) out.cuts.push_back(s.frame);
        }
        if (!black && s.fullChange < 0.5) {
            std::vector<double> around;
            for (size_t k = i >= 4 ? i - 4 : 0; k <= i + 4; ++k)
                if (k >= 1 && k != i && k < seen_.size()) around.push_back(seen_[k].fullChange);
            if (s.fullChange < 0.05 * medianOf(around)) out.duplicates.push_back(s.frame);
        }
        if (s.comb > 0) {
            ++moving;
            woven += s.comb > 1.15;
        }
    }
    out.interlaced = woven >= 3 && woven * 4 >= moving;
    return out;
}

}  // namespace va
