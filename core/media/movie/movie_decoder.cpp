// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/movie_decoder.h"
#include "base/text.h"

#include <algorithm>

#include "base/error.h"
#include "media/movie/open_decoder.h"
#include "media/movie/slice_bytes.h"

namespace va {
namespace {

/// Pictures that came out last are kept, so that small steps back cost nothing.
constexpr size_t picturesKept = 12;
constexpr int64_t bytesKept = int64_t(96) << 20;
/// A picture that did not come by the time this many later ones did does not come any more.
constexpr int patience = 4;
/// Packets that are read on for the counterpart of a picture.
constexpr int packetsAhead = 8;

int64_t bytesOf(const AVFrame& f) {
    int64_t sum = 0;
    for (const AVBufferRef* b : f.buf)
        if (b) sum += int64_t(b->size);
    return sum;
}

std::string damageOf(const AVFrame& f) {
    if (f.decode_error_flags & FF_DECODE_ERROR_MISSING_REFERENCE) return text("it refers to a picture that is missing");
    if (f.decode_error_flags &
        (FF_DECODE_ERROR_INVALID_BITSTREAM | FF_DECODE_ERROR_CONCEALMENT_ACTIVE | FF_DECODE_ERROR_DECODE_SLICES))
        return text("parts of it are damaged and were patched up by the decoder");
    if (f.flags & AV_FRAME_FLAG_CORRUPT) return text("bytes of it are missing in the file");
    return {};
}

}  // namespace

MovieDecoder::MovieDecoder(std::string path, MovieIndex index)
    : path_(std::move(path)),
      index_(std::move(index)),
      places_(index_.placesOfPackets()),
      reader_(path_, index_.stream),
      packet_(av_packet_alloc()) {
    openDecoder(false);
}

void MovieDecoder::openDecoder(bool serial) {
    decoder_ = va::openDecoder(reader_.stream(), path_, !serial);
    log_.attach(*decoder_);
    serial_ = serial;
    second_.reset();
    broken_ = true;  // nothing was sent to it yet: a jump comes first
}

std::string MovieDecoder::codecName() const { return codecLabel(decoder_->codec_id); }

Rational MovieDecoder::codedRate() const {
    const AVRational r = decoder_->framerate;
    return r.num > 0 && r.den > 0 ? reduced(r.num, r.den) : Rational{0, 1};
}

const DecodedFrame* MovieDecoder::kept(int index) const {
    for (const DecodedFrame& f : kept_)
        if (f.index == index) return &f;
    return nullptr;
}

bool MovieDecoder::tainted(int index) const {
    int last = index_.frames[size_t(index)];
    if (size_t(last) + 1 < index_.packets.size() && index_.packets[size_t(last) + 1].hidden) ++last;
    return log_.anyWithin(index_.startFor(index), last);
}

const DecodedFrame* MovieDecoder::frame(int index, std::string* why) {
    if (const auto known = missing_.find(index); known != missing_.end()) {
        if (why) *why = known->second;
        return nullptr;
    }
    if (const DecodedFrame* f = kept(index); f && (f->serial ? compared(index) : !tainted(index))) return f;
    wanted_ = index;
    const int start = index_.startFor(index);
    if (!serial_ || !tainted(index)) {
        if (serial_) openDecoder(false);
        // Going on is cheaper than a jump unless a start lies well ahead.
        const bool ahead = !broken_ && lastPlace_ < index && begun_ <= start;
        if (!ahead || start > reader_.next() + 8) jump(start);
        const Outcome outcome = decodeUntil(index);
        if (const DecodedFrame* f = outcome == Outcome::found && !tainted(index) ? kept(index) : nullptr) return f;
    }
    // Damage, or a start that is none: from two starts farther back.
    const int from = startBefore(startBefore(start));
    const bool goOn = serial_ && !broken_ && (lastPlace_ < index || kept(index)) && begun_ == from;
    if (!goOn) {
        openDecoder(true);
        kept_.clear();
        jump(from);
    }
    if (decodeUntil(index) == Outcome::found)
        if (const DecodedFrame* f = kept(index)) return f;
    missing_[index] = text("it can't be decoded: the file is damaged there");
    if (why) *why = missing_[index];
    return nullptr;
}

int MovieDecoder::startBefore(int ordinal) const {
    int back = 0;
    for (const int s : index_.starts)
        if (s < ordinal) back = s;
    return back;
}

void MovieDecoder::jump(int ordinal) {
    broken_ = true;  // until it is done: an exception leaves a state that nobody should go on from
    reader_.jump(index_, ordinal);
    avcodec_flush_buffers(decoder_.get());
    log_.forgetFrom(ordinal);
    draining_ = packetWaits_ = false;
    begun_ = ordinal;
    lastPlace_ = -1;
    lostUntil_ = 0;
    if (serial_)
        second_ = std::make_unique<SecondDecoding>(reader_.stream(), path_,
                                                   [this](int packet) { return !log_.about(packet).empty(); });
    broken_ = false;
}

void MovieDecoder::makeRoom() {
    int64_t bytes = 0;
    for (const DecodedFrame& f : kept_) bytes += bytesOf(*f.picture);
    while (kept_.size() > 1 && (kept_.size() > picturesKept || bytes > bytesKept)) {
        // The wanted one stays, wherever it came in.
        auto oldest = kept_.begin();
        if (oldest->index == wanted_) ++oldest;
        bytes -= bytesOf(*oldest->picture);
        kept_.erase(oldest);
    }
}

void MovieDecoder::keep(DecodedFrame frame) {
    std::erase_if(kept_, [&](const DecodedFrame& f) { return f.index == frame.index; });
    kept_.push_back(std::move(frame));
    makeRoom();
}

MovieDecoder::Outcome MovieDecoder::decodeUntil(int index) {
    AvPointer<AVFrame> picture(av_frame_alloc());
    int later = 0, errors = 0, ahead = 0;
    bool found = kept(index) && kept(index)->serial == serial_;
    while (true) {
        const int got = avcodec_receive_frame(decoder_.get(), picture.get());
        if (got == 0) {
            errors = 0;
            const int64_t ordinal = picture->pts;
            const int at = ordinal >= 0 && ordinal < int64_t(places_.size()) ? places_[size_t(ordinal)] : -1;
            if (at >= 0) noteLost(at);
            if (at < 0 || at + int(picturesKept) < index) {
                if (at >= 0) lastPlace_ = std::max(lastPlace_, at);
                av_frame_unref(picture.get());
                continue;
            }
            lastPlace_ = std::max(lastPlace_, at);
            found = found || at == index;
            later += at > index;
            DecodedFrame frame{at, std::move(picture), {}, serial_, nullptr, ordinal < lostUntil_};
            frame.damage = damageOf(*frame.picture);
            if (frame.damage.empty() && !log_.about(int(ordinal)).empty())
                frame.damage = text("parts of it are damaged and were patched up by the decoder");
            keep(std::move(frame));
            compareWithSecond();
            if (found && compared(index)) return Outcome::found;
            if (!found && later > patience) return Outcome::missing;
            picture.reset(av_frame_alloc());
            continue;
        }
        // The second decoding may hold a picture back for longer: it goes without some packets.
        if (found && (got == AVERROR_EOF || draining_ || ++ahead > packetsAhead)) {
            for (DecodedFrame& f : kept_) f.withoutCounterpart = f.withoutCounterpart || f.index == index;
            return Outcome::found;
        }
        if (got == AVERROR_EOF) return Outcome::missing;
        if (got != AVERROR(EAGAIN)) {
            if (++errors > 64) return Outcome::missing;
            continue;
        }
        if (draining_) return Outcome::missing;
        send();
        compareWithSecond();
        if (found && compared(index)) return Outcome::found;
    }
}

/// A picture that did not come out at all: libav goes on with the one before in its place, in the second decoding too.
void MovieDecoder::noteLost(int index) {
    if (!serial_ || lastPlace_ < 0) return;
    for (int p = lastPlace_ + 1; p < index; ++p) {
        const int lost = index_.frames[size_t(p)];
        if (index_.packets[size_t(lost)].leaf) continue;
        const auto next = std::upper_bound(index_.starts.begin(), index_.starts.end(), lost);
        lostUntil_ = std::max(lostUntil_, next == index_.starts.end() ? int(index_.packets.size()) : *next);
    }
}

/// Gives the pictures that are kept their counterparts of the second decoding, as far as those are there.
void MovieDecoder::compareWithSecond() {
    if (!second_) return;
    for (DecodedFrame& f : kept_)
        if (f.serial && !f.otherwise && !f.withoutCounterpart)
            f.otherwise = second_->take(index_.frames[size_t(f.index)]);
}

bool MovieDecoder::compared(int index) const {
    const DecodedFrame* f = kept(index);
    return !f || !f->serial || f->otherwise || f->withoutCounterpart || !f->damage.empty();
}

void MovieDecoder::send() {
    if (!packetWaits_) {
        const int ordinal = reader_.next();
        if (!reader_.read(*packet_) || ordinal >= int(index_.packets.size())) {
            draining_ = true;
            if (second_) second_->finish();
            decoder_->skip_frame = AVDISCARD_DEFAULT;
            avcodec_send_packet(decoder_.get(), nullptr);
            return;
        }
        packet_->pts = packet_->dts = decoder_->reordered_opaque = ordinal;
        if (cutAtIllegalBytes(*packet_, unitLengthBytes(*reader_.stream().codecpar)))
            log_.add(ordinal, text("bytes that no encoder writes"));
        // On the way to the wanted picture, those that nothing refers to need not be decoded.
        const int at = places_[size_t(ordinal)];
        const bool skip = !serial_ && !index_.fields && at + 3 < wanted_;
        decoder_->skip_frame = skip ? AVDISCARD_NONREF : AVDISCARD_DEFAULT;
    }
    packetWaits_ = avcodec_send_packet(decoder_.get(), packet_.get()) == AVERROR(EAGAIN);
    if (second_ && !packetWaits_) second_->give(*packet_);
}

}  // namespace va
