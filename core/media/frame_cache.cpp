// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/frame_cache.h"

#include "base/error.h"

namespace va {

FrameCache::FrameCache(std::unique_ptr<PlateSource> source, size_t budgetBytes, Ready ready)
    : source_(std::move(source)), info_(source_->info()), budget_(budgetBytes), ready_(std::move(ready)) {
    focus_ = info_.frames.first;
    range_ = info_.frames;
    worker_ = std::thread([this] { work(); });
}

FrameCache::~FrameCache() {
    {
        std::scoped_lock lock(mutex_);
        stop_ = true;
    }
    wake_.notify_all();
    worker_.join();
}

void FrameCache::setFocus(int frame, int direction, FrameRange range) {
    {
        std::scoped_lock lock(mutex_);
        focus_ = frame;
        direction_ = direction < 0 ? -1 : 1;
        range_ = range.empty() ? info_.frames : range;
    }
    wake_.notify_all();
}

std::shared_ptr<const DisplayPicture> FrameCache::picture(int frame) const {
    std::scoped_lock lock(mutex_);
    const auto found = pictures_.find(frame);
    return found == pictures_.end() ? nullptr : found->second;
}

std::string FrameCache::trouble(int frame) const {
    std::scoped_lock lock(mutex_);
    const auto found = troubles_.find(frame);
    return found == troubles_.end() ? std::string() : found->second;
}

std::map<int, std::string> FrameCache::troubles() const {
    std::scoped_lock lock(mutex_);
    return troubles_;
}

std::vector<int> FrameCache::held() const {
    std::scoped_lock lock(mutex_);
    std::vector<int> out;
    for (const auto& [frame, unused] : pictures_) out.push_back(frame);
    return out;
}

int FrameCache::distance(int frame) const {
    if (!range_.contains(frame)) return 1 << 20;
    const int ahead = (frame - focus_) * direction_;
    // Playback loops, so what lies behind comes again after the end of the range; a few frames behind serve single
    // steps.
    if (ahead >= 0) return ahead;
    return ahead >= -4 ? -ahead * 2 : ahead + range_.count();
}

std::optional<int> FrameCache::nextWanted() const {
    const size_t one = size_t(info_.width) * size_t(info_.height) * sizeof(uint32_t);
    const int room = std::max(2, int(budget_ / std::max<size_t>(one, 1)));
    std::optional<int> best;
    int bestDistance = 0;
    const auto consider = [&](int frame) {
        if (!info_.exists(frame) || pictures_.contains(frame)) return;
        // A picture that was let go to make room comes again; one that can't be read does not.
        if (const auto t = troubles_.find(frame); t != troubles_.end() && !patched_.contains(frame)) return;
        const int d = frame == focus_ ? -1 : distance(frame);
        if (d < room - 1 && (!best || d < bestDistance)) best = frame, bestDistance = d;
    };
    consider(focus_);
    for (int f = range_.first; f <= range_.last; ++f) consider(f);
    return best;
}

void FrameCache::makeRoom() {
    const size_t one = size_t(info_.width) * size_t(info_.height) * sizeof(uint32_t);
    while (pictures_.size() > 1 && (pictures_.size() + 1) * one > budget_) {
        auto last = pictures_.begin();
        for (auto it = pictures_.begin(); it != pictures_.end(); ++it)
            if (distance(it->first) > distance(last->first)) last = it;
        pictures_.erase(last);
    }
}

void FrameCache::work() {
    std::unique_lock lock(mutex_);
    while (!stop_) {
        const auto wanted = nextWanted();
        if (!wanted) {
            wake_.wait(lock);
            continue;
        }
        lock.unlock();
        std::shared_ptr<const DisplayPicture> got;
        std::string trouble;
        try {
            got = std::make_shared<const DisplayPicture>(source_->display(*wanted));
            trouble = source_->displayDamage();
        } catch (const std::exception& e) {
            trouble = e.what();
        }
        lock.lock();
        if (got) {
            makeRoom();
            pictures_[*wanted] = got;
            if (!trouble.empty()) patched_.insert(*wanted);
        }
        // A patched-up picture is shown, and what is wrong with it is said.
        if (!got || !trouble.empty()) troubles_[*wanted] = trouble;
        lock.unlock();
        if (ready_) ready_(*wanted);
        lock.lock();
    }
}

}  // namespace va
