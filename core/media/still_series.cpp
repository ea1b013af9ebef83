// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/still_series.h"

#include <algorithm>
#include <cctype>
#include <set>

#include "base/text.h"

namespace va {
namespace {

bool isDigit(char c) { return std::isdigit(static_cast<unsigned char>(c)) != 0; }

/// A name cut at one of its numbers.
struct Cut {
    std::string before, after, digits;
    bool negative = false;

    [[nodiscard]] int64_t number() const {
        const int64_t n = std::stoll(digits);
        return negative ? -n : n;
    }
    [[nodiscard]] bool padded() const { return digits.size() > 1 && digits[0] == '0'; }
    /// What names of one series share.
    [[nodiscard]] std::string key() const { return before + '\n' + lowerCase(after); }
};

/// All ways to cut a name at a number before its ending, from left to right.
std::vector<Cut> cutsOf(const std::string& name) {
    std::vector<Cut> out;
    const size_t dot = name.rfind('.'), stem = dot == std::string::npos || dot == 0 ? name.size() : dot;
    for (size_t i = 0; i < stem;) {
        if (!isDigit(name[i])) {
            ++i;
            continue;
        }
        size_t end = i;
        while (end < stem && isDigit(name[end])) ++end;
        if (end - i <= 18) {
            const bool minus = i > 0 && name[i - 1] == '-' &&
                               (i == 1 || name[i - 2] == '.' || name[i - 2] == '_' || name[i - 2] == ' ');
            out.push_back({name.substr(0, i - (minus ? 1 : 0)), name.substr(end), name.substr(i, end - i), minus});
        }
        i = end;
    }
    return out;
}

using Counts = std::map<std::string, int>;

Counts countKeys(const std::vector<std::string>& names) {
    Counts out;
    for (const std::string& name : names) {
        std::set<std::string> keys;
        for (const Cut& c : cutsOf(name)) keys.insert(c.key());
        for (const std::string& k : keys) ++out[k];
    }
    return out;
}

/// The cut at the frame number.
std::optional<Cut> frameNumberOf(const std::string& name, const Counts& counts) {
    const std::vector<Cut> cuts = cutsOf(name);
    const Cut* best = nullptr;
    int most = 0;
    for (const Cut& c : cuts) {
        const auto found = counts.find(c.key());
        const int n = found == counts.end() ? 1 : found->second;
        // A name that stands alone: frame numbers mostly have three digits or more.
        const bool weak = n == 1 && best && best->digits.size() >= 3 && c.digits.size() < 3;
        if (n >= most && !weak) best = &c, most = n;
    }
    return best ? std::optional(*best) : std::nullopt;
}

void put(StillSeries& s, const Cut& c, const std::string& name) {
    auto [at, fresh] = s.files.emplace(c.number(), name);
    if (fresh) return;
    // The same number twice: as `a.JPG` and `a.jpg`. The one that is spelled as the series is, stays.
    const bool better = name.ends_with(s.after) && !at->second.ends_with(s.after);
    s.ambiguous.push_back(better ? at->second : name);
    if (better) at->second = name;
}

struct Numbered {
    Cut cut;
    std::string name;
};

/// Splits names that differ only in their number by how the number is padded.
std::vector<StillSeries> byPadding(const std::vector<Numbered>& all) {
    std::map<size_t, std::vector<const Numbered*>> padded;  // by width
    std::vector<const Numbered*> plain;
    for (const Numbered& n : all) {
        if (n.cut.padded()) padded[n.cut.digits.size()].push_back(&n);
        else plain.push_back(&n);
    }
    std::vector<StillSeries> out;
    const auto begin = [&](int padding) {
        StillSeries s;
        s.before = all.front().cut.before;
        s.padding = padding;
        // The spelling of the ending that most have; small letters where that does not decide.
        std::map<std::string, int> spelled;
        for (const Numbered& n : all) ++spelled[n.cut.after];
        s.after = std::max_element(spelled.begin(), spelled.end(), [](const auto& a, const auto& b) {
                      return a.second <= b.second;
                  })->first;
        return s;
    };
    // Wide paddings first: a number of four digits goes on a series of four, not one of two.
    for (auto it = padded.rbegin(); it != padded.rend(); ++it) {
        StillSeries s = begin(int(it->first));
        for (const Numbered* n : it->second) put(s, n->cut, n->name);
        std::erase_if(plain, [&](const Numbered* n) {
            if (n->cut.digits.size() < it->first) return false;
            put(s, n->cut, n->name);
            return true;
        });
        out.push_back(std::move(s));
    }
    if (!plain.empty()) {
        const auto [low, high] = std::minmax_element(
            plain.begin(), plain.end(),
            [](const Numbered* a, const Numbered* b) { return a->cut.digits.size() < b->cut.digits.size(); });
        // All of one width: written as padded, which is what the next number would be too.
        const bool even = (*low)->cut.digits.size() == (*high)->cut.digits.size() && (*low)->cut.digits.size() > 1;
        StillSeries s = begin(even ? int((*low)->cut.digits.size()) : 0);
        for (const Numbered* n : plain) put(s, n->cut, n->name);
        out.push_back(std::move(s));
    }
    return out;
}

}  // namespace

std::string StillSeries::pattern() const {
    return before + (padding > 1 ? "%0" + std::to_string(padding) + "d" : "%d") + after;
}

std::vector<StillSeries> stillSeries(const std::vector<std::string>& names) {
    const Counts counts = countKeys(names);
    std::map<std::string, std::vector<Numbered>> groups;
    std::vector<StillSeries> out;
    for (const std::string& name : names) {
        if (name.starts_with('.')) continue;
        if (const auto c = frameNumberOf(name, counts)) {
            groups[c->key()].push_back({*c, name});
        } else {
            StillSeries one;
            one.before = name;
            one.files[1] = name;
            out.push_back(std::move(one));
        }
    }
    for (const auto& [key, group] : groups)
        for (StillSeries& s : byPadding(group)) out.push_back(std::move(s));
    std::stable_sort(out.begin(), out.end(),
                     [](const StillSeries& a, const StillSeries& b) { return a.files.size() > b.files.size(); });
    return out;
}

StillSeries seriesOf(const std::string& name, const std::vector<std::string>& names) {
    for (StillSeries& s : stillSeries(names)) {
        for (const auto& [number, file] : s.files)
            if (file == name) return std::move(s);
        // Its number has another file in the series, but this one was asked for.
        if (const auto at = std::find(s.ambiguous.begin(), s.ambiguous.end(), name); at != s.ambiguous.end()) {
            if (const auto c = frameNumberOf(name, countKeys(names))) {
                std::swap(s.files[c->number()], *at);
                s.after = c->after;
            }
            return std::move(s);
        }
    }
    StillSeries one;
    one.before = name;
    one.files[1] = name;
    return one;
}

std::optional<StillSeries> seriesByPattern(const std::string& pattern, const std::vector<std::string>& names) {
    StillSeries s;
    size_t at = std::string::npos, end = 0;
    // The last one that can be meant: names may hold percent signs of their own.
    for (size_t p = pattern.rfind('%'); p != std::string::npos;
         p = p == 0 ? std::string::npos : pattern.rfind('%', p - 1)) {
        size_t d = p + 1;
        while (d < pattern.size() && isDigit(pattern[d])) ++d;
        if (d >= pattern.size() || pattern[d] != 'd' || d - p > 4) continue;
        at = p, end = d + 1;
        s.padding = d > p + 1 ? std::stoi(pattern.substr(p + 1, d - p - 1)) : 0;
        break;
    }
    if (at == std::string::npos) {
        const size_t last = pattern.rfind('#');
        if (last == std::string::npos) return std::nullopt;
        at = pattern.find_last_not_of('#', last);
        at = at == std::string::npos ? 0 : at + 1;
        end = last + 1;
        s.padding = int(end - at);
    }
    s.before = pattern.substr(0, at);
    s.after = pattern.substr(end);
    if (s.padding == 1) s.padding = 0;
    StillSeries lenient = s;
    for (const std::string& name : names)
        for (const Cut& c : cutsOf(name)) {
            if (c.before != s.before || lowerCase(c.after) != lowerCase(s.after)) continue;
            const size_t wide = size_t(std::max(s.padding, 1));
            const bool fits =
                s.padding == 0 ? !c.padded() : c.digits.size() == wide || (c.digits.size() > wide && !c.padded());
            if (fits) put(s, c, name);
            put(lenient, c, name);
        }
    // `yard.###.png` is also said of yard.98.png and yard.101.png, where nothing is padded.
    const bool padded = std::any_of(lenient.files.begin(), lenient.files.end(), [&](const auto& f) {
        return f.second.size() > s.before.size() && f.second[s.before.size()] == '0';
    });
    return s.files.empty() || !padded ? lenient : s;
}

}  // namespace va
