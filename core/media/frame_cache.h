// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <condition_variable>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <set>
#include <string>
#include <thread>

#include "media/plate_source.h"

namespace va {

/// Pictures to show, decoded on a thread of its own and kept within a memory budget.
///
/// The owner sets the focus (frame, direction, range); the worker fetches the focus first and then runs ahead of it in
/// the direction of play, dropping the frames that will be needed last. `picture()` never waits.
class FrameCache {
  public:
    using Ready = std::function<void(int frame)>;

    /// `ready` is called on the worker's thread each time a frame has come in or turned out to be unreadable.
    FrameCache(std::unique_ptr<PlateSource> source, size_t budgetBytes, Ready ready);
    ~FrameCache();
    FrameCache(const FrameCache&) = delete;
    FrameCache& operator=(const FrameCache&) = delete;

    void setFocus(int frame, int direction, FrameRange range);
    /// The picture, or null while it is not there (yet).
    [[nodiscard]] std::shared_ptr<const DisplayPicture> picture(int frame) const;
    /// Why the frame can't be shown, or what is wrong with its picture; empty when nothing is known against it.
    [[nodiscard]] std::string trouble(int frame) const;
    /// What is wrong with frames that were fetched so far.
    [[nodiscard]] std::map<int, std::string> troubles() const;
    /// Frames that can be shown at once.
    [[nodiscard]] std::vector<int> held() const;
    [[nodiscard]] const PlateInfo& info() const { return info_; }

    static constexpr size_t defaultBudget = size_t(512) << 20;

  private:
    void work();
    /// The next frame worth fetching, or nothing; with the lock held. `ahead` is how far it is from the focus in
    /// playing order.
    [[nodiscard]] std::optional<int> nextWanted() const;
    [[nodiscard]] int distance(int frame) const;
    void makeRoom();

    std::unique_ptr<PlateSource> source_;
    PlateInfo info_;
    size_t budget_;
    Ready ready_;
    mutable std::mutex mutex_;
    std::condition_variable wake_;
    std::map<int, std::shared_ptr<const DisplayPicture>> pictures_;
    std::map<int, std::string> troubles_;
    std::set<int> patched_;  ///< frames of `troubles_` that have a picture all the same
    int focus_ = 0, direction_ = 1;
    FrameRange range_;
    bool stop_ = false;
    std::thread worker_;
};

}  // namespace va
