// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <memory>
#include <string>
#include <utility>
#include <vector>

namespace va {

/// A value in an OpenUSD layer. Numbers of tuples, arrays and matrices come in one row.
struct UsdValue {
    enum class Kind { none, numbers, words, dictionary };
    Kind kind = Kind::none;
    std::vector<double> numbers;
    std::vector<std::string> words;  ///< strings, tokens, asset paths and prim paths, without their marks
    std::map<std::string, UsdValue> entries;

    [[nodiscard]] double number(double otherwise = 0) const { return numbers.empty() ? otherwise : numbers[0]; }
    [[nodiscard]] std::string word() const { return words.empty() ? std::string() : words[0]; }
    [[nodiscard]] const UsdValue* entry(const std::string& key) const;
};

/// An attribute or relationship: its default and what it is at time codes.
struct UsdProperty {
    std::string type;
    UsdValue value;
    std::vector<std::pair<double, UsdValue>> samples;  ///< in rising order
    UsdValue metadata;
};

struct UsdPrim {
    std::string specifier, type, name;
    UsdValue metadata;
    std::map<std::string, UsdProperty> properties;
    std::vector<std::unique_ptr<UsdPrim>> children;
    [[nodiscard]] const UsdProperty* property(const std::string& name) const;
};

/// A layer of OpenUSD text (`#usda 1.0`; the grammar of the OpenUSD documentation, "USDA file format"), one file alone:
/// references and sublayers are kept as words and not followed; variants give the selected one, else the first. Throws
/// InputError naming `source` and the line: cut off, not text, nested deeper than 100.
struct UsdLayer {
    UsdValue metadata;
    std::vector<std::unique_ptr<UsdPrim>> prims;
};
UsdLayer readUsdaLayer(const std::string& content, const std::string& source);

}  // namespace va
