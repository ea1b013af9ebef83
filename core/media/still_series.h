// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace va {

/// Numbered stills that belong together: names that differ only in one number.
struct StillSeries {
    std::string before, after;             ///< of the names, around the number
    int padding = 0;                       ///< digits that numbers are filled up to with zeros; 0 = none
    std::map<int64_t, std::string> files;  ///< number → name
    std::vector<std::string> ambiguous;    ///< names left out because another file has their number

    /// `before%04dafter`
    [[nodiscard]] std::string pattern() const;
};

/// All series among the names of a folder, largest first; a name without a number, or with one of its own, is a series
/// of one. Names that begin with a dot are left out: other systems keep notes there.
///
/// Of several numbers in a name, the frame number is the one in which the most names differ (in
/// `plate_v02_1001_4k.exr`, the 1001), the last one where that does not decide. A minus sign belongs to the number
/// where it stands at the beginning or after a point, underscore or blank. Endings are the same in capital and small
/// letters. Padded and unpadded numbers are series of their own, but a padded one goes on with numbers that have grown
/// longer than it (0998 … 9999, 10000).
std::vector<StillSeries> stillSeries(const std::vector<std::string>& names);

/// The series that `name` belongs to.
StillSeries seriesOf(const std::string& name, const std::vector<std::string>& names);

/// The names that fit `before%04dafter` or `before####after`: of the given width, longer where the number needs it.
/// Nothing where the text is no pattern.
std::optional<StillSeries> seriesByPattern(const std::string& pattern, const std::vector<std::string>& names);

}  // namespace va
