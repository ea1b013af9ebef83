// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/frame_reader.h"

#include <algorithm>

#include "track/follow.h"

namespace va {

FrameReader::FrameReader(std::vector<int> frames, std::function<Luma(int)> read,
                         std::function<void(int, const Luma&)> watch, int levels)
    : frames_(std::move(frames)),
      read_(std::move(read)),
      watch_(std::move(watch)),
      levels_(levels),
      falling_(frames_.size() > 1 && frames_[1] < frames_[0]) {
    fetch();
}

FrameReader::~FrameReader() {
    if (pending_.valid()) pending_.wait();
}

Pyramid FrameReader::next(Pyramid spare) {
    Prepared p = pending_.get();
    fetch(std::move(spare));
    return levels_ == 1 ? Pyramid(p.luma, 1) : std::move(p.pyramid);
}

Luma FrameReader::nextLuma() {
    Prepared p = pending_.get();
    fetch();
    return std::move(p.luma);
}

Luma FrameReader::take(int frame) {
    if (!falling_) return read_(frame);
    if (const auto it = ahead_.find(frame); it == ahead_.end()) {
        // A run of the coming frames, read in rising order; at 4K eight of them are 270 MB.
        const size_t begin = next_ - 1;
        size_t end = std::min(frames_.size(), begin + 16);
        ahead_.clear();
        for (size_t i = end; i-- > begin;) {
            Luma l = read_(frames_[i]);
            if (l.width > 2600 && end - begin > 8) end = begin + 8, i = std::min(i, end);
            if (i < end) ahead_[frames_[i]] = std::move(l);
        }
    }
    Luma out = std::move(ahead_.at(frame));
    ahead_.erase(frame);
    return out;
}

void FrameReader::fetch(Pyramid spare) {
    if (next_ >= frames_.size()) return;
    const int frame = frames_[next_++];
    pending_ = std::async(std::launch::async, [this, frame, spare = std::move(spare)]() mutable {
        Prepared p;
        p.luma = take(frame);
        if (watch_) watch_(frame, p.luma);
        if (levels_ != 1)
            p.pyramid = Pyramid(p.luma, levels_ > 0 ? levels_ : pyramidLevels(p.luma.width), std::move(spare));
        return p;
    });
}

}  // namespace va
