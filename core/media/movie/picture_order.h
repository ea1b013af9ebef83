// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "media/movie/movie_index.h"

namespace va {

/// Presentation order of a movie's packets by one kind of evidence: ordinals in the order in which they are shown.
/// Packets that are hidden or discarded are left out. Empty where the evidence is incomplete or contradicts itself.
///
/// By the stamps: all are there, and no two are equal within a part. A part ends where decode stamps run backwards, as
/// where two streams were put one after the other.
std::vector<int> orderByStamps(const std::vector<MoviePacket>& packets);

/// By the codec's picture order count, which starts anew at each instantaneous refresh.
std::vector<int> orderByCounts(const std::vector<MoviePacket>& packets);

/// By picture types: a B picture is shown at once, any other when the next one that is no B picture comes (ISO/IEC
/// 13818-2, 6.1.1.11).
std::vector<int> orderByTypes(const std::vector<MoviePacket>& packets);

/// As stored.
std::vector<int> orderAsStored(const std::vector<MoviePacket>& packets);

/// Whether what a decoder gave out fits a presentation order: always rising, with hardly a hole.
bool fitsOrder(const std::vector<int>& decoded, const std::vector<int>& order, size_t packets);

/// Presentation times of `order` in rising order, in units of the time base; empty where too few stamps are known.
std::vector<int64_t> timesOf(const std::vector<MoviePacket>& packets, const std::vector<int>& order);

}  // namespace va
