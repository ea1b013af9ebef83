// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/frame_reader.h"

#include <algorithm>
#include <stdexcept>
#include <utility>

#include "track/track.h"

namespace va {
namespace {

/// Two even out frames that take longer to decode than to work on, and the other way round.
constexpr size_t framesAhead = 2;

}  // namespace

FrameReader::FrameReader(std::vector<int> frames, std::function<Luma(int)> read,
                         std::function<void(int, const Luma&)> watch, int levels, std::function<void(Luma)> giveBack)
    : frames_(std::move(frames)),
      read_(std::move(read)),
      watch_(std::move(watch)),
      giveBack_(std::move(giveBack)),
      levels_(levels),
      falling_(frames_.size() > 1 && frames_[1] < frames_[0]),
      thread_([this] { work(); }) {}

FrameReader::~FrameReader() {
    {
        const std::scoped_lock lock(mutex_);
        stop_ = true;
    }
    changed_.notify_all();
    thread_.join();
}

Pyramid FrameReader::next(Pyramid spare) {
    Prepared p = wait(std::move(spare));
    return levels_ == 1 ? Pyramid(std::move(p.luma), 1) : std::move(p.pyramid);
}

Luma FrameReader::nextLuma() { return std::move(wait({}).luma); }

FrameReader::Prepared FrameReader::wait(Pyramid spare) {
    std::unique_lock lock(mutex_);
    if (spare.levels() > 0) spares_.push_back(std::move(spare));
    changed_.wait(lock, [this] { return !ready_.empty(); });
    if (ready_.front().failure) std::rethrow_exception(ready_.front().failure);
    Prepared p = std::move(ready_.front());
    ready_.pop_front();
    lock.unlock();
    changed_.notify_all();
    return p;
}

void FrameReader::work() {
    while (true) {
        Pyramid spare;
        {
            std::unique_lock lock(mutex_);
            changed_.wait(lock, [this] { return stop_ || ready_.size() < framesAhead; });
            if (stop_) return;
            if (!spares_.empty()) {
                spare = std::move(spares_.back());
                spares_.pop_back();
            }
        }
        Prepared p;
        try {
            if (next_ >= frames_.size()) throw std::out_of_range("FrameReader: no frames left");
            p = prepare(frames_[next_++], std::move(spare));
        } catch (...) {
            p.failure = std::current_exception();
        }
        const bool failed = p.failure != nullptr;
        {
            const std::scoped_lock lock(mutex_);
            ready_.push_back(std::move(p));
        }
        changed_.notify_all();
        if (failed) return;
    }
}

FrameReader::Prepared FrameReader::prepare(int frame, Pyramid spare) {
    Prepared p;
    p.luma = take(frame);
    if (watch_) watch_(frame, p.luma);
    if (levels_ == 1) return p;
    if (giveBack_ && spare.levels() > 0) giveBack_(spare.takePicture());
    const int levels = levels_ > 0 ? levels_ : pyramidLevels(p.luma.width);
    p.pyramid = Pyramid(std::move(p.luma), levels, std::move(spare));
    if (softer_) (void)p.pyramid.softer();
    return p;
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

}  // namespace va
