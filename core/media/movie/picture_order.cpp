// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/picture_order.h"

#include <algorithm>

namespace va {
namespace {

bool shown(const MoviePacket& p) { return !p.hidden && !p.discard; }

/// First ordinals of the parts within which decode stamps rise, and the number of packets at the end.
std::vector<size_t> partsOf(const std::vector<MoviePacket>& packets) {
    std::vector<size_t> out{0};
    int64_t last = MoviePacket::noStamp;
    for (size_t i = 0; i < packets.size(); ++i) {
        const int64_t dts = packets[i].dts;
        if (dts == MoviePacket::noStamp) continue;
        if (last != MoviePacket::noStamp && dts <= last && packets[i].startAfter == 0) out.push_back(i);
        last = dts;
    }
    out.push_back(packets.size());
    return out;
}

/// Sorts the shown packets within each part by a key; empty if two keys of a part are equal.
template <class Key>
std::vector<int> sortedWithin(const std::vector<MoviePacket>& packets, const std::vector<size_t>& parts, Key key) {
    std::vector<int> out;
    for (size_t k = 0; k + 1 < parts.size(); ++k) {
        const size_t begin = out.size();
        for (size_t i = parts[k]; i < parts[k + 1]; ++i)
            if (shown(packets[i])) out.push_back(int(i));
        const auto from = out.begin() + std::ptrdiff_t(begin);
        std::stable_sort(from, out.end(), [&](int a, int b) { return key(a) < key(b); });
        for (size_t i = begin + 1; i < out.size(); ++i)
            if (key(out[i - 1]) == key(out[i])) return {};
    }
    return out;
}

}  // namespace

std::vector<int> orderByStamps(const std::vector<MoviePacket>& packets) {
    for (const MoviePacket& p : packets)
        if (shown(p) && p.pts == MoviePacket::noStamp) return {};
    return sortedWithin(packets, partsOf(packets), [&](int i) { return packets[size_t(i)].pts; });
}

std::vector<int> orderByCounts(const std::vector<MoviePacket>& packets) {
    std::vector<size_t> parts{0};
    for (size_t i = 1; i < packets.size(); ++i)
        if (packets[i].resets) parts.push_back(i);
    parts.push_back(packets.size());
    return sortedWithin(packets, parts, [&](int i) { return packets[size_t(i)].pictureOrder; });
}

std::vector<int> orderByTypes(const std::vector<MoviePacket>& packets) {
    std::vector<int> out;
    int held = -1;
    for (size_t i = 0; i < packets.size(); ++i) {
        if (packets[i].hidden) continue;
        if (packets[i].type == '?') return {};
        if (packets[i].type != 'B') {
            if (held >= 0 && shown(packets[size_t(held)])) out.push_back(held);
            held = int(i);
        } else if (shown(packets[i])) {
            out.push_back(int(i));
        }
    }
    if (held >= 0 && shown(packets[size_t(held)])) out.push_back(held);
    return out;
}

std::vector<int> orderAsStored(const std::vector<MoviePacket>& packets) {
    std::vector<int> out;
    for (size_t i = 0; i < packets.size(); ++i)
        if (shown(packets[i])) out.push_back(int(i));
    return out;
}

bool fitsOrder(const std::vector<int>& decoded, const std::vector<int>& order, size_t packets) {
    std::vector<int> index(packets, -1);
    for (size_t i = 0; i < order.size(); ++i) index[size_t(order[i])] = int(i);
    int last = -1, first = -1, strangers = 0;
    for (const int ordinal : decoded) {
        const int at = ordinal >= 0 && size_t(ordinal) < packets ? index[size_t(ordinal)] : -1;
        if (at < 0) {
            ++strangers;
            continue;
        }
        if (at <= last) return false;
        if (first < 0) first = at;
        last = at;
    }
    const int span = last - first + 1, came = int(decoded.size()) - strangers;
    return first >= 0 && strangers * 10 <= came && (span - came) * 5 <= span;
}

std::vector<int64_t> timesOf(const std::vector<MoviePacket>& packets, const std::vector<int>& order) {
    const auto stampsBy = [&](auto member) {
        std::vector<int64_t> out;
        for (const int i : order) {
            const int64_t stamp = packets[size_t(i)].*member;
            if (stamp == MoviePacket::noStamp) return std::vector<int64_t>();
            out.push_back(stamp);
        }
        return out;
    };
    std::vector<int64_t> out = stampsBy(&MoviePacket::pts);
    if (out.empty()) out = stampsBy(&MoviePacket::dts);
    if (out.size() < 2) return out;
    // Stamps that belong to the order of the file are put in order; where another part begins, time goes on.
    std::vector<size_t> parts{0};
    for (size_t k : partsOf(packets)) {
        if (k == 0 || k >= packets.size()) continue;
        const auto at = std::find_if(order.begin(), order.end(), [&](int i) { return size_t(i) >= k; });
        if (at != order.end()) parts.push_back(size_t(at - order.begin()));
    }
    parts.push_back(out.size());
    for (size_t k = 0; k + 1 < parts.size(); ++k) {
        const auto begin = out.begin() + std::ptrdiff_t(parts[k]), end = out.begin() + std::ptrdiff_t(parts[k + 1]);
        std::sort(begin, end);
        if (k == 0 || begin == end) continue;
        const int64_t step = end - begin > 1 ? (*(end - 1) - *begin) / (end - begin - 1) : 1;
        const int64_t shift = *(begin - 1) + step - *begin;
        if (*begin <= *(begin - 1))
            for (auto it = begin; it != end; ++it) *it += shift;
    }
    return out;
}

}  // namespace va
