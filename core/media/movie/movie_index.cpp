// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/movie_index.h"

#include <algorithm>
#include <chrono>
#include <utility>

#include "base/error.h"
#include "base/text.h"
#include "media/movie/decode_order.h"
#include "media/movie/index_cache.h"
#include "media/movie/packet_reader.h"
#include "media/movie/picture_headers.h"
#include "media/movie/picture_order.h"

namespace va {
namespace {

constexpr int all = 1 << 30;

/// The first position in which two orders differ; `all` if they do not.
int firstDifference(const std::vector<int>& a, const std::vector<int>& b) {
    const size_t n = std::min(a.size(), b.size());
    for (size_t i = 0; i < n; ++i)
        if (a[i] != b[i]) return int(i);
    return a.size() == b.size() ? all : int(n);
}

/// The decoder's own order over the whole movie. Packets that it refused stand where their neighbour in the file does:
/// what is damaged is a gap, not a shorter movie.
void askDecoder(const std::string& path, MovieIndex& index, Progress* progress) {
    std::vector<int> rejected;
    std::vector<int> order;
    for (const DecodedPicture& p : decodeOrder(path, index.stream, all, progress, &rejected))
        if (p.whole || !order.empty()) order.push_back(p.ordinal);
    std::vector<char> has(index.packets.size(), 0);
    std::erase_if(order, [&](int i) { return i < 0 || size_t(i) >= has.size() || std::exchange(has[size_t(i)], 1); });
    for (const int r : rejected) {
        const MoviePacket& p = index.packets[size_t(r)];
        if (std::exchange(has[size_t(r)], 1) || p.hidden || p.discard || order.empty() || r < order.front()) continue;
        const auto before = std::find(order.begin(), order.end(), r - 1);
        order.insert(before == order.end() ? order.end() : std::next(before), r);
    }
    index.frames = std::move(order);
    index.order = MovieIndex::Order::decoded;
}

/// Chooses among the orders that the evidence allows, asking the decoder where it is contradictory.
void findOrder(const std::string& path, const PictureHeaders& headers, MovieIndex& index, Progress* progress) {
    if (!headers.reorders()) {
        index.frames = orderAsStored(index.packets);
        return;
    }
    const std::vector<int> stamps = orderByStamps(index.packets);
    const std::vector<int> pictures = headers.hasCounts()  ? orderByCounts(index.packets)
                                      : headers.hasTypes() ? orderByTypes(index.packets)
                                                           : std::vector<int>();
    if (!stamps.empty() && stamps == pictures) {
        index.frames = stamps;
        return;
    }
    const int differ = stamps.empty() || pictures.empty() ? 0 : firstDifference(stamps, pictures);
    std::vector<int> decoded;
    for (const DecodedPicture& p : decodeOrder(path, index.stream, differ + 48, progress))
        if (p.whole || !decoded.empty()) decoded.push_back(p.ordinal);
    const bool byStamps = !stamps.empty() && fitsOrder(decoded, stamps, index.packets.size());
    const bool byPictures = !pictures.empty() && fitsOrder(decoded, pictures, index.packets.size());
    if (byPictures && !byStamps) {
        index.frames = pictures;
        index.order = MovieIndex::Order::pictures;
    } else if (byStamps) {
        index.frames = stamps;
    } else {
        askDecoder(path, index, progress);
    }
}

/// A movie that was cut out of a longer one begins with pictures that refer to what is not there any more. Players do
/// not show them; which ones these are, only the decoder knows.
void dropUndecodableHead(const std::string& path, MovieIndex& index, Progress* progress) {
    if (index.order == MovieIndex::Order::decoded || index.frames.empty()) return;
    const std::vector<int> places = index.placesOfPackets();
    int firstStart = -1;
    for (size_t i = 0; i < index.packets.size() && firstStart < 0; ++i)
        if (index.packets[i].startAfter == 0 && places[i] >= 0) firstStart = places[i];
    if (firstStart == 0 && index.packets.front().startAfter == 0) return;
    const int count = int(index.frames.size());
    const int sure = firstStart < 0 ? std::min(count, 300) : firstStart;
    const std::vector<DecodedPicture> decoded = decodeOrder(path, index.stream, sure + 2, progress);
    std::vector<char> came(index.packets.size(), 0);
    int first = count;
    for (const auto& [ordinal, whole] : decoded) {
        if (!whole || ordinal < 0 || size_t(ordinal) >= places.size() || places[size_t(ordinal)] < 0) continue;
        came[size_t(ordinal)] = 1;
        first = std::min(first, places[size_t(ordinal)]);
    }
    if (first == count) return;  // nothing at all came: reading will say so
    std::vector<int> kept;
    for (int i = 0; i < count; ++i)
        if (i >= sure ? i >= first : came[size_t(index.frames[size_t(i)])]) kept.push_back(index.frames[size_t(i)]);
    index.frames = std::move(kept);
}

}  // namespace

std::vector<int> MovieIndex::placesOfPackets() const {
    std::vector<int> out(packets.size(), -1);
    for (size_t i = 0; i < frames.size(); ++i) out[size_t(frames[i])] = int(i);
    return out;
}

void MovieIndex::listStarts() {
    starts.clear();
    startPlaces.clear();
    const std::vector<int> places = placesOfPackets();
    for (size_t i = 0; i < packets.size(); ++i) {
        const int wait = packets[i].startAfter;
        if (wait < 0) continue;
        // A start serves the pictures that are shown from its own on. With gradual refresh, it takes a second round
        // until pictures are the same to the bit.
        int from = -1;
        if (wait == 0) {
            size_t shown = i;
            while (shown < packets.size() && places[shown] < 0) ++shown;
            if (shown < packets.size()) from = places[shown];
        } else {
            for (size_t k = i; k < packets.size() && k < i + 2 * size_t(wait) + 8; ++k)
                from = std::max(from, places[k] + 1);
        }
        if (from < 0 || from >= int(frames.size())) continue;
        starts.push_back(int(i));
        startPlaces.push_back(from);
    }
}

int MovieIndex::startFor(int index) const {
    const int ordinal = frames[size_t(index)];
    for (size_t k = starts.size(); k-- > 0;)
        if (starts[k] <= ordinal && startPlaces[k] <= index) return starts[k];
    return 0;
}

MovieIndex indexMovie(const std::string& path, int stream, Progress* progress) {
    const std::string fingerprint = fingerprintOfMovie(path, stream);
    if (auto kept = indexFromCache(fingerprint)) return std::move(*kept);
    const auto begun = std::chrono::steady_clock::now();
    MovieIndex index = readMovieIndex(path, stream, progress);
    // What was quick is as quick again; the cache is for long files.
    if (std::chrono::steady_clock::now() - begun > std::chrono::milliseconds(150)) indexToCache(fingerprint, index);
    return index;
}

MovieIndex readMovieIndex(const std::string& path, int stream, Progress* progress) {
    PacketReader reader(path, stream, progress);
    MovieIndex index;
    index.stream = reader.streamNumber();
    PictureHeaders headers(*reader.stream().codecpar);
    const AvPointer<AVPacket> packet(av_packet_alloc());
    const int64_t bytes = reader.container().pb ? avio_size(reader.container().pb) : 0;
    if (progress) progress->stage(text("Reading the movie's index"), 1000, 0.02);
    int told = 0;
    while (reader.read(*packet)) {
        if (av_packet_get_side_data(packet.get(), AV_PKT_DATA_ENCRYPTION_INFO, nullptr))
            throw InputError(text("\"%s\" is encrypted. Ask for a copy without protection.", path.c_str()));
        MoviePacket p = PacketReader::describe(*packet);
        headers.look(*packet, p);
        index.packets.push_back(p);
        if (!progress || bytes <= 0) continue;
        const int now = int(std::clamp<int64_t>(avio_tell(reader.container().pb) * 1000 / bytes, 0, 1000));
        if (now > told) progress->advance(now - told), told = now;
        progress->check();
    }
    if (index.packets.empty())
        throw InputError(text(
            "\"%s\" holds no frame that can be read: it is cut off right at the start. Copy it again.", path.c_str()));
    index.fields = headers.fields();
    findOrder(path, headers, index, progress);
    dropUndecodableHead(path, index, progress);
    if (index.frames.empty())
        throw InputError(text("\"%s\" holds no frame that can be decoded. Copy it again.", path.c_str()));
    index.times = timesOf(index.packets, index.frames);
    index.listStarts();
    return index;
}

}  // namespace va
