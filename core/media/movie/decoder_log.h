// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <mutex>
#include <string>

#include "media/movie/av_handles.h"

namespace va {

/// What a decoder complains about, by the packet that it complains of. Many decoders patch up a damaged picture and
/// hand it out as if it were whole; all they do is write a line to libav's log. This takes these lines.
///
/// libav has one log for the whole process: the first DecoderLog takes it over for good, and nothing is printed any
/// more.
class DecoderLog {
  public:
    DecoderLog();
    ~DecoderLog();
    /// From now on libav prints nothing.
    static void takeOver();
    DecoderLog(const DecoderLog&) = delete;
    DecoderLog& operator=(const DecoderLog&) = delete;

    /// From now on listens to this decoder, all of its threads. Before each packet is sent, its number has to stand in
    /// `decoder.reordered_opaque`.
    void attach(AVCodecContext& decoder);
    /// Takes down a complaint of one's own.
    void add(int packet, const std::string& complaint);
    /// The first complaint about a packet; empty if there is none.
    [[nodiscard]] std::string about(int packet) const;
    /// Drops what was said about this packet and all later ones: they are decoded anew.
    void forgetFrom(int packet);
    /// Whether there is a complaint about any packet from one to another, both included.
    [[nodiscard]] bool anyWithin(int first, int last) const;

  private:
    static void listen(void* object, int level, const char* format, va_list arguments);
    mutable std::mutex mutex_;
    std::map<int, std::string> lines_;
};

}  // namespace va
