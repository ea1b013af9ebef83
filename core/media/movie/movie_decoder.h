// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <deque>
#include <map>
#include <memory>
#include <string>

#include "base/rational.h"
#include "media/movie/av_handles.h"
#include "media/movie/decoder_log.h"
#include "media/movie/movie_index.h"
#include "media/movie/packet_reader.h"
#include "media/movie/second_decoding.h"

namespace va {

/// A decoded picture, and what the decoder says of it.
struct DecodedFrame {
    int index = -1;
    AvPointer<AVFrame> picture;
    std::string damage;   ///< what is wrong with it; empty = nothing
    bool serial = false;  ///< decoded without frame threads: damage lies in what it may refer to
    /// Of a serial one: the picture as it comes out when what the decoder makes up for damage is made up otherwise.
    /// Null where there is none: then any part may depend on damage.
    AvPointer<AVFrame> otherwise;
    /// There is none: the second decoding gave none, or a picture that this one may depend on did not come out at all.
    bool withoutCounterpart = false;
};

/// Pictures of a movie by their position in presentation order. Every picture comes out as it does when the movie is
/// decoded from its first packet on, in whatever order pictures are asked for: a jump begins at a start that serves the
/// picture (MovieIndex::startFor), and pictures are known by the packet that they came from. Around damage, what
/// decoders put in place of what is missing depends on what they saw before and on the timing of their threads: there,
/// a single thread decodes, always from the same start.
class MovieDecoder {
  public:
    MovieDecoder(std::string path, MovieIndex index);

    /// The picture of an index, valid until the next call; null where the decoder gives none, `why` then says it. After
    /// an exception the next call starts afresh.
    const DecodedFrame* frame(int index, std::string* why = nullptr);
    [[nodiscard]] const MovieIndex& index() const { return index_; }
    [[nodiscard]] AVStream& stream() { return reader_.stream(); }
    [[nodiscard]] AVFormatContext& container() { return reader_.container(); }
    [[nodiscard]] std::vector<MovieStream> streams() const { return reader_.streams(); }
    [[nodiscard]] std::string codecName() const;
    /// Frames a second by the codec's own headers; 0 where they do not tell. Known after the first picture.
    [[nodiscard]] Rational codedRate() const;

  private:
    const DecodedFrame* kept(int index) const;
    void jump(int ordinal);
    [[nodiscard]] int startBefore(int ordinal) const;
    [[nodiscard]] bool tainted(int index) const;
    void openDecoder(bool serial);
    enum class Outcome { found, missing };
    Outcome decodeUntil(int index);
    void noteLost(int index);
    void compareWithSecond();
    [[nodiscard]] bool compared(int index) const;
    void send();
    void keep(DecodedFrame frame);
    void makeRoom();

    std::string path_;
    MovieIndex index_;
    std::vector<int> places_;
    PacketReader reader_;
    DecoderLog log_;
    AvPointer<AVCodecContext> decoder_;
    AvPointer<AVPacket> packet_;
    std::deque<DecodedFrame> kept_;  ///< the last pictures that came out, oldest first
    std::map<int, std::string> missing_;
    bool draining_ = false, packetWaits_ = false, broken_ = false;
    int begun_ = 0;       ///< ordinal that decoding began at
    int lastPlace_ = -1;  ///< of the picture that came out last
    int wanted_ = 0;
    bool serial_ = false;
    std::unique_ptr<SecondDecoding> second_;  ///< beside a serial one
    int lostUntil_ = 0;  ///< ordinal up to which pictures depend on one that did not come out at all
};

}  // namespace va
