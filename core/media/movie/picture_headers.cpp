// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/picture_headers.h"

#include <algorithm>
#include <vector>

#include "media/movie/slice_bytes.h"

namespace va {
namespace {

/// Bits of a unit whose emulation prevention bytes (00 00 03) were taken out.
class Bits {
  public:
    Bits(const uint8_t* data, int size) {
        int zeros = 0;
        for (int i = 0; i < size && bytes_.size() < 512; ++i) {
            if (zeros >= 2 && data[i] == 3) {
                zeros = 0;
                continue;
            }
            zeros = data[i] == 0 ? zeros + 1 : 0;
            bytes_.push_back(data[i]);
        }
    }
    unsigned bit() {
        if (at_ / 8 >= bytes_.size()) return 0;
        const unsigned b = bytes_[at_ / 8] >> (7 - at_ % 8) & 1u;
        ++at_;
        return b;
    }
    unsigned bits(int n) {
        unsigned v = 0;
        while (n-- > 0) v = v << 1 | bit();
        return v;
    }
    /// Exponential Golomb code, unsigned.
    unsigned golomb() {
        int zeros = 0;
        while (zeros < 31 && at_ / 8 < bytes_.size() && bit() == 0) ++zeros;
        return (1u << zeros) - 1 + bits(zeros);
    }
    [[nodiscard]] bool ended() const { return at_ / 8 + 1 >= bytes_.size(); }

  private:
    std::vector<uint8_t> bytes_;
    size_t at_ = 0;
};

/// The count of a recovery point message, or −1: how many frames later pictures are right.
int recoveryCount(const uint8_t* data, int size) {
    Bits b(data, size);
    while (!b.ended()) {
        unsigned type = 0, length = 0, byte = 0;
        while ((byte = b.bits(8)) == 255 && !b.ended()) type += 255;
        type += byte;
        while ((byte = b.bits(8)) == 255 && !b.ended()) length += 255;
        length += byte;
        if (type == 6) return int(std::min(b.golomb(), 30000u));
        b.bits(int(std::min(length, 4096u)) * 8);
    }
    return -1;
}

}  // namespace

bool PictureHeaders::UnitReader::next(Unit& unit, bool hevc) {
    if (lengthBytes > 0) {
        if (end - at <= lengthBytes) return false;
        uint32_t n = 0;
        for (int i = 0; i < lengthBytes; ++i) n = n << 8 | at[i];
        at += lengthBytes;
        unit.data = at;
        unit.size = int(std::min<int64_t>(n, end - at));
        at += unit.size;
    } else {
        const auto code = [this](const uint8_t* p) {
            for (; end - p >= 4; ++p)
                if (p[0] == 0 && p[1] == 0 && p[2] == 1) return p;
            return end;
        };
        at = code(at);
        if (at == end) return false;
        unit.data = at + 3;
        // Slices are long, and nothing behind the first one is asked for: only the units before it get their end.
        const int type = hevc ? unit.data[0] >> 1 & 63 : unit.data[0] & 31;
        const bool slice = hevc ? type < 32 : type >= 1 && type <= 5;
        const uint8_t* next = slice ? end : code(unit.data);
        unit.size = int(next - unit.data);
        at = next;
    }
    if (unit.size < 2) {
        unit.type = -1;
        return true;
    }
    unit.type = hevc ? unit.data[0] >> 1 & 63 : unit.data[0] & 31;
    return true;
}

PictureHeaders::PictureHeaders(const AVCodecParameters& p) : codec_(p.codec_id) {
    const AVCodecDescriptor* d = avcodec_descriptor_get(codec_);
    reorders_ = d && (d->props & AV_CODEC_PROP_REORDER);
    lengthBytes_ = unitLengthBytes(p);
    if (!reorders_) return;
    parser_.reset(av_parser_init(codec_));
    if (!parser_) return;
    parser_->flags |= PARSER_FLAG_COMPLETE_FRAMES;
    context_.reset(avcodec_alloc_context3(nullptr));
    avcodec_parameters_to_context(context_.get(), &p);
}

void PictureHeaders::lookAtUnits(const AVPacket& packet, MoviePacket& out) {
    const bool hevc = codec_ == AV_CODEC_ID_HEVC;
    UnitReader units{packet.data, packet.data + packet.size, lengthBytes_};
    int recovery = -1, slice = -1;
    for (Unit u; units.next(u, hevc);) {
        if (!hevc && u.type == 6) recovery = std::max(recovery, recoveryCount(u.data + 1, u.size - 1));
        if (hevc ? u.type >= 0 && u.type < 32 : u.type == 1 || u.type == 2 || u.type == 5) {
            slice = u.type;
            // nal_ref_idc of H.264; of H.265, sub-layer non-reference pictures have even types below 16.
            out.leaf = hevc ? u.type < 16 && u.type % 2 == 0 : (u.data[0] >> 5 & 3) == 0;
            break;
        }
    }
    if (!hevc) {
        out.resets = slice == 5;
        out.startAfter = slice == 5 ? 0 : recovery >= 0 ? int16_t(recovery) : -1;
        return;
    }
    const bool brokenLink = slice >= 16 && slice <= 18, refresh = slice == 19 || slice == 20, cleanRandom = slice == 21;
    out.resets = brokenLink || refresh;
    out.startAfter = out.resets || cleanRandom ? 0 : -1;
    // Skipped leading pictures (RASL) refer to what was before the access point; where that is the beginning of the
    // stream or a broken link, they are not shown (8.1.3).
    if (slice == 8 || slice == 9) out.hidden = dropLeading_;
    if (brokenLink || refresh || (cleanRandom && !first_)) dropLeading_ = brokenLink;
    if (slice >= 0) first_ = false;
}

void PictureHeaders::look(const AVPacket& packet, MoviePacket& out) {
    if (codec_ == AV_CODEC_ID_VP8 && packet.size > 0) out.hidden = (packet.data[0] >> 4 & 1) == 0;
    if (!reorders_) return;
    if (codec_ == AV_CODEC_ID_H264 || codec_ == AV_CODEC_ID_HEVC) lookAtUnits(packet, out);
    if (!parser_) return;
    uint8_t* data = nullptr;
    int size = 0;
    av_parser_parse2(parser_.get(), context_.get(), &data, &size, packet.data, packet.size, packet.pts, packet.dts,
                     packet.pos);
    switch (parser_->pict_type) {
        case AV_PICTURE_TYPE_I: out.type = 'I'; break;
        case AV_PICTURE_TYPE_P:
        case AV_PICTURE_TYPE_S: out.type = 'P'; break;
        case AV_PICTURE_TYPE_B:
        case AV_PICTURE_TYPE_BI: out.type = 'B'; break;
        default: break;
    }
    types_ = types_ || out.type != '?';
    if (codec_ == AV_CODEC_ID_H264 || codec_ == AV_CODEC_ID_HEVC) {
        out.pictureOrder = parser_->output_picture_number;
        counts_ = true;
    } else if (out.type != '?') {
        out.leaf = out.type == 'B';
        out.startAfter = out.type == 'I' ? 0 : -1;
    }
    const int parity = parser_->picture_structure == AV_PICTURE_STRUCTURE_TOP_FIELD      ? 1
                       : parser_->picture_structure == AV_PICTURE_STRUCTURE_BOTTOM_FIELD ? 2
                                                                                         : 0;
    if (codec_ == AV_CODEC_ID_HEVC) return;  // its fields are pictures of their own
    if (parity != 0 && openField_ != 0 && openField_ != parity) {
        out.hidden = true;
        openField_ = 0;
    } else {
        openField_ = parity;
    }
    fields_ = fields_ || parity != 0;
}

}  // namespace va
