// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "base/progress.h"
#include "media/movie/av_handles.h"
#include "media/movie/movie_index.h"

namespace va {

/// The packets of one video stream of a movie, one after the other, and from any ordinal on.
///
/// A jump never trusts the container: after it, packets are recognised by their bytes (size, hash, position, stamps)
/// in the index. Where a jump can't be made or what comes cannot be told apart, the file is read from its beginning,
/// which costs time and is always right.
class PacketReader {
  public:
    /// `stream` −1 takes the largest that is no cover picture. `progress` may be null; its cancel() ends any reading.
    /// Throws InputError: no such file, no movie, no video in it.
    PacketReader(const std::string& path, int stream, Progress* progress = nullptr);

    /// The next packet of the stream, or false at the end. `ordinal()` is then its number.
    bool read(AVPacket& packet);
    [[nodiscard]] int ordinal() const { return next_ - 1; }
    /// Ordinal of the packet that read() will give.
    [[nodiscard]] int next() const { return next_; }
    /// Makes read() give the packet `ordinal` of the index, which was made by reading this file from its beginning.
    void jump(const MovieIndex& index, int ordinal);

    [[nodiscard]] AVFormatContext& container() { return *container_; }
    [[nodiscard]] AVStream& stream() { return *container_->streams[stream_]; }
    [[nodiscard]] int streamNumber() const { return stream_; }
    [[nodiscard]] std::vector<MovieStream> streams() const;

    /// What tells a packet from others.
    static MoviePacket describe(const AVPacket& packet);

  private:
    void open();
    int choose() const;
    bool readRaw(AVPacket& packet);
    [[nodiscard]] bool recognise(const MovieIndex& index, int ordinal);
    static int interrupted(void* self);

    std::string path_;
    int wanted_, stream_ = -1, next_ = 0;
    Progress* progress_;
    AvPointer<AVFormatContext> container_;
    AvPointer<AVBSFContext> unpack_;          ///< MPEG-4 with two pictures in one packet, as old AVI files have
    std::vector<AvPointer<AVPacket>> ahead_;  ///< read while recognising, still to be given
    size_t given_ = 0;
    bool filterEnded_ = false;
};

}  // namespace va
