// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/packet_reader.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <string_view>
#include <unordered_map>

#include "base/error.h"
#include "base/text.h"
#include "media/movie/decoder_log.h"

namespace va {
namespace {

/// Of all bytes, eight at a time: as quick as memory. The steps are those of a multiplicative hash (Knuth, The Art of
/// Computer Programming 3, 6.4).
uint32_t hashOf(const uint8_t* data, size_t size) {
    uint64_t h = 0x9e3779b97f4a7c15ull ^ size;
    const auto mix = [&h](uint64_t word) {
        h = (h ^ word) * 0xff51afd7ed558ccdull;
        h ^= h >> 32;
    };
    for (; size >= 8; data += 8, size -= 8) {
        uint64_t word = 0;
        std::memcpy(&word, data, 8);
        mix(word);
    }
    uint64_t rest = 0;
    std::memcpy(&rest, data, size);
    mix(rest);
    return uint32_t(h ^ h >> 29);
}

/// Readers of libav that are none of movies: text pictures, lists of other files, devices.
bool isMovieFormat(std::string_view name) {
    static constexpr std::array<std::string_view, 14> others{"tty",    "bin",    "xbin",       "adf",  "idf",
                                                             "hls",    "concat", "sdp",        "rtsp", "dash",
                                                             "image2", "lavfi",  "ffmetadata", "srt"};
    return std::find(others.begin(), others.end(), name) == others.end();
}

bool same(const MoviePacket& a, const MoviePacket& b) { return a.size == b.size && a.hash == b.hash; }
bool sameInAll(const MoviePacket& a, const MoviePacket& b) {
    return same(a, b) && a.position == b.position && a.pts == b.pts && a.dts == b.dts;
}

constexpr int packetsToRecognise = 96;

}  // namespace

PacketReader::PacketReader(const std::string& path, int stream, Progress* progress)
    : path_(path), wanted_(stream), progress_(progress) {
    DecoderLog::takeOver();  // what goes wrong is told in sentences
    open();
}

int PacketReader::interrupted(void* self) {
    const Progress* progress = static_cast<PacketReader*>(self)->progress_;
    return progress && progress->cancelled() ? 1 : 0;
}

void PacketReader::open() {
    container_.reset();
    AVFormatContext* raw = avformat_alloc_context();
    raw->interrupt_callback = {&PacketReader::interrupted, this};
    AVDictionary* options = nullptr;
    av_dict_set(&options, "protocol_whitelist", "file", 0);  // a movie that names other files must not open them
    const int code = avformat_open_input(&raw, ("file:" + path_).c_str(), nullptr, &options);
    av_dict_free(&options);
    if (progress_) progress_->check();
    if (code < 0) {
        throw InputError(text("\"%s\" is not a movie or picture that can be read. It may be cut off or of a kind that "
                              "is not supported: try to play it elsewhere, or copy it again.",
                              path_.c_str()),
                         avMessage(code));
    }
    container_.reset(raw);
    if (!isMovieFormat(raw->iformat->name))
        throw InputError(text("\"%s\" is not a movie: it looks like text or a list of files. Choose a movie or stills.",
                              path_.c_str()),
                         raw->iformat->name);
    const int found = avformat_find_stream_info(raw, nullptr);
    if (progress_) progress_->check();
    stream_ = found < 0 ? -1 : choose();
    if (stream_ < 0)
        throw InputError(
            text("\"%s\" holds no moving picture, only sound or data. Choose a movie or stills.", path_.c_str()));
    for (unsigned i = 0; i < raw->nb_streams; ++i)
        raw->streams[i]->discard = int(i) == stream_ ? AVDISCARD_DEFAULT : AVDISCARD_ALL;
    unpack_.reset();
    if (const AVBitStreamFilter* f = av_bsf_get_by_name("mpeg4_unpack_bframes");
        f && stream().codecpar->codec_id == AV_CODEC_ID_MPEG4) {
        AVBSFContext* bsf = nullptr;
        if (av_bsf_alloc(f, &bsf) >= 0) {
            unpack_.reset(bsf);
            avcodec_parameters_copy(bsf->par_in, stream().codecpar);
            bsf->time_base_in = stream().time_base;
            if (av_bsf_init(bsf) < 0) unpack_.reset();
            else avcodec_parameters_copy(stream().codecpar, bsf->par_out);
        }
    }
    ahead_.clear();
    given_ = 0;
    next_ = 0;
    filterEnded_ = false;
}

std::vector<MovieStream> PacketReader::streams() const {
    std::vector<MovieStream> out;
    for (unsigned i = 0; i < container_->nb_streams; ++i) {
        const AVStream& s = *container_->streams[i];
        if (s.codecpar->codec_type != AVMEDIA_TYPE_VIDEO) continue;
        out.push_back({int(i), s.codecpar->width, s.codecpar->height, avcodec_get_name(s.codecpar->codec_id),
                       (s.disposition & AV_DISPOSITION_ATTACHED_PIC) != 0});
    }
    return out;
}

int PacketReader::choose() const {
    int best = -1;
    long long most = -1;
    for (const MovieStream& s : streams()) {
        if (s.stream == wanted_) return wanted_;
        if (s.cover) continue;
        const long long pixels = 1LL * s.width * s.height;
        if (pixels > most) best = s.stream, most = pixels;
    }
    if (wanted_ >= 0) {
        std::string have;
        for (const MovieStream& s : streams()) have += (have.empty() ? "" : ", ") + std::to_string(s.stream);
        throw InputError(have.empty() ? text("\"%s\" has no moving picture as stream %d.", path_.c_str(), wanted_)
                                      : text("\"%s\" has no moving picture as stream %d; it has these: %s.",
                                             path_.c_str(), wanted_, have.c_str()));
    }
    return best;
}

bool PacketReader::readRaw(AVPacket& packet) {
    while (true) {
        if (unpack_ && !filterEnded_) {
            const int code = av_bsf_receive_packet(unpack_.get(), &packet);
            if (code == 0) return true;
            if (code == AVERROR_EOF) return false;
        } else if (unpack_) {
            return av_bsf_receive_packet(unpack_.get(), &packet) == 0;
        }
        // A broken stretch ends some demuxers' call with an error, and the next call goes on after it.
        int code = 0, tries = 0;
        do {
            code = av_read_frame(container_.get(), &packet);
            if (progress_) progress_->check();
        } while (code < 0 && code != AVERROR_EOF && !(container_->pb && avio_feof(container_->pb)) && ++tries < 32);
        if (code < 0) {
            if (!unpack_) return false;
            filterEnded_ = true;
            av_bsf_send_packet(unpack_.get(), nullptr);
            continue;
        }
        // An empty packet holds no picture: players go on showing the one before.
        if (packet.stream_index != stream_ || packet.size == 0) {
            av_packet_unref(&packet);
            continue;
        }
        if (!unpack_) return true;
        if (av_bsf_send_packet(unpack_.get(), &packet) < 0) av_packet_unref(&packet);
    }
}

bool PacketReader::read(AVPacket& packet) {
    av_packet_unref(&packet);
    if (given_ < ahead_.size()) {
        av_packet_move_ref(&packet, ahead_[given_++].get());
        if (given_ == ahead_.size()) ahead_.clear(), given_ = 0;
    } else if (!readRaw(packet)) {
        return false;
    }
    ++next_;
    return true;
}

MoviePacket PacketReader::describe(const AVPacket& p) {
    MoviePacket out;
    if (p.pts != AV_NOPTS_VALUE) out.pts = p.pts;
    if (p.dts != AV_NOPTS_VALUE) out.dts = p.dts;
    out.position = p.pos;
    out.size = uint32_t(p.size);
    out.hash = hashOf(p.data, size_t(p.size));
    out.discard = p.flags & AV_PKT_FLAG_DISCARD;
    out.corrupt = p.flags & AV_PKT_FLAG_CORRUPT;
    if (p.flags & AV_PKT_FLAG_KEY) out.startAfter = 0;
    return out;
}

bool PacketReader::recognise(const MovieIndex& index, int ordinal) {
    std::vector<int> candidates;  // ordinals of the first packet in `ahead_`
    for (int n = 0; n < packetsToRecognise; ++n) {
        AvPointer<AVPacket> packet(av_packet_alloc());
        if (!readRaw(*packet)) break;
        const MoviePacket p = describe(*packet);
        ahead_.push_back(std::move(packet));
        const int at = int(ahead_.size()) - 1;
        if (at == 0) {
            for (size_t i = 0; i < index.packets.size(); ++i)
                if (same(index.packets[i], p)) candidates.push_back(int(i));
        } else {
            std::erase_if(candidates, [&](int i) {
                const size_t k = size_t(i + at);
                return k >= index.packets.size() || !same(index.packets[k], p);
            });
        }
        std::vector<int> exact = candidates;
        std::erase_if(exact, [&](int i) { return !sameInAll(index.packets[size_t(i + at)], p); });
        if (exact.size() == 1) candidates = exact;
        if (candidates.size() == 1) {
            if (candidates.front() > ordinal) break;
            next_ = candidates.front();
            return true;
        }
        // The first packets after a jump into a stream of bytes may be torn.
        if (candidates.empty()) ahead_.clear();
    }
    ahead_.clear();
    return false;
}

void PacketReader::jump(const MovieIndex& index, int ordinal) {
    const auto skipTo = [&] {
        AvPointer<AVPacket> packet(av_packet_alloc());
        while (next_ < ordinal && read(*packet)) {}
    };
    // Reading on is quicker than a jump over a few packets.
    if (next_ <= ordinal && ordinal - next_ < 32) return skipTo();
    const auto flush = [&] {
        ahead_.clear();
        given_ = 0;
        filterEnded_ = false;
        if (unpack_) av_bsf_flush(unpack_.get());
    };
    const MoviePacket& target = index.packets[size_t(ordinal)];
    // A packet or two before it, so that torn ones fall there.
    const int before = std::max(0, ordinal - 2);
    for (const int from : {ordinal, before}) {
        const MoviePacket& p = index.packets[size_t(from)];
        for (const int64_t stamp : {p.dts, p.pts}) {
            if (stamp == MoviePacket::noStamp || ordinal == 0) continue;
            if (av_seek_frame(container_.get(), stream_, stamp, AVSEEK_FLAG_BACKWARD) < 0) continue;
            flush();
            if (recognise(index, ordinal)) return skipTo();
        }
        if (p.position > 0 && target.position > 0 && !(container_->iformat->flags & AVFMT_NO_BYTE_SEEK) &&
            av_seek_frame(container_.get(), stream_, p.position, AVSEEK_FLAG_BYTE) >= 0) {
            flush();
            if (recognise(index, ordinal)) return skipTo();
        }
    }
    open();
    skipTo();
}

}  // namespace va
