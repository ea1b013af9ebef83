// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/usda_text.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <limits>

#include "base/error.h"
#include "base/text.h"

namespace va {

const UsdValue* UsdValue::entry(const std::string& key) const {
    const auto found = entries.find(key);
    return found == entries.end() ? nullptr : &found->second;
}

const UsdProperty* UsdPrim::property(const std::string& of) const {
    const auto found = properties.find(of);
    return found == properties.end() ? nullptr : &found->second;
}

namespace {

constexpr int deepest = 100;

class UsdaParser {
  public:
    UsdaParser(const std::string& content, const std::string& source)
        : at_(content.data()), begin_(content.data()), end_(content.data() + content.size()), source_(source) {}

    UsdLayer layer() {
        if (size_t(end_ - at_) < 9 || std::strncmp(at_, "#usda 1.0", 9) != 0)
            throw InputError(
                text("\"%s\" is no OpenUSD text file: it has to begin with \"#usda 1.0\". Save the stage as "
                     ".usda there.",
                     source_.c_str()));
        UsdLayer out;
        if (sees('(')) out.metadata = metadata();
        while (blanks(), at_ < end_) {
            const std::string specifier = word();
            if (specifier == "def" || specifier == "over" || specifier == "class") out.prims.push_back(prim(specifier));
            else if (specifier == "reorder") (void)word(), expect('='), (void)value();
            else fail();
        }
        return out;
    }

  private:
    [[noreturn]] void fail() const {
        const long line = 1 + std::count(begin_, std::min(at_, end_), '\n');
        throw InputError(
            text("\"%s\", line %ld: this is not whole OpenUSD text. The file may be cut off: write it again.",
                 source_.c_str(), line));
    }
    void blanks() {
        for (; at_ < end_; ++at_) {
            if (*at_ == '#') {
                while (at_ < end_ && *at_ != '\n') ++at_;
                if (at_ == end_) return;
            } else if (*at_ != ' ' && *at_ != '\n' && *at_ != '\t' && *at_ != '\r' && *at_ != ';') {
                return;
            }
        }
    }
    bool next(char c) {
        blanks();
        return at_ < end_ && *at_ == c;
    }
    bool sees(char c) {
        if (!next(c)) return false;
        ++at_;
        return true;
    }
    void expect(char c) {
        if (!sees(c)) fail();
    }
    static bool inWord(char c) {
        return std::isalnum(static_cast<unsigned char>(c)) || c == '_' || c == ':' || c == '.' || c == '[' ||
               c == ']' || c == '!' || static_cast<unsigned char>(c) > 127;
    }
    std::string word() {
        blanks();
        const char* from = at_;
        while (at_ < end_ && inWord(*at_)) ++at_;
        if (at_ == from) fail();
        return {from, at_};
    }
    std::string quoted() {
        blanks();
        if (at_ >= end_ || (*at_ != '"' && *at_ != '\'')) fail();
        const char mark = *at_;
        const bool three = end_ - at_ >= 3 && at_[1] == mark && at_[2] == mark;
        at_ += three ? 3 : 1;
        std::string out;
        for (; at_ < end_; ++at_) {
            if (*at_ == '\\' && at_ + 1 < end_) {
                ++at_;
                out += *at_ == 'n' ? '\n' : *at_ == 't' ? '\t' : *at_;
            } else if (*at_ == mark && (!three || (end_ - at_ >= 3 && at_[1] == mark && at_[2] == mark))) {
                at_ += three ? 3 : 1;
                return out;
            } else {
                out += *at_;
            }
        }
        fail();
    }
    std::string between(char mark) {
        expect(mark);
        const bool three = mark == '@' && end_ - at_ >= 2 && at_[0] == '@' && at_[1] == '@';
        if (three) at_ += 2;
        const char close = mark == '<' ? '>' : mark;
        const char* from = at_;
        while (at_ < end_ && !(*at_ == close && (!three || (end_ - at_ >= 3 && at_[1] == close && at_[2] == close))))
            ++at_;
        if (at_ >= end_) fail();
        std::string out(from, at_);
        at_ += three ? 3 : 1;
        return out;
    }
    double numberHere() {
        double v = 0;
        if (at_ < end_ && *at_ == '+') ++at_;
        const auto [end, trouble] = std::from_chars(at_, end_, v);
        if (trouble == std::errc::result_out_of_range) v = std::numeric_limits<double>::infinity();
        else if (trouble != std::errc()) fail();
        at_ = end;
        return v;
    }
    UsdValue value(int depth = 0) {
        UsdValue out;
        into(out, depth);
        return out;
    }
    void into(UsdValue& out, int depth) {
        if (depth > deepest) fail();
        blanks();
        if (at_ >= end_) fail();
        const char c = *at_;
        if (c == '(' || c == '[') {
            const char close = c == '(' ? ')' : ']';
            ++at_;
            if (out.kind == UsdValue::Kind::none) out.kind = UsdValue::Kind::numbers;
            while (!sees(close)) {
                into(out, depth + 1);
                (void)sees(',');
            }
        } else if (std::isdigit(static_cast<unsigned char>(c)) || c == '-' || c == '+' || c == '.') {
            // "-inf" is a number as well.
            if (c == '-' && end_ - at_ >= 4 && std::strncmp(at_, "-inf", 4) == 0)
                at_ += 4, out.numbers.push_back(-HUGE_VAL);
            else out.numbers.push_back(numberHere());
            out.kind = UsdValue::Kind::numbers;
        } else if (c == '"' || c == '\'') {
            out.words.push_back(quoted());
            out.kind = UsdValue::Kind::words;
        } else if (c == '@') {
            out.words.push_back(between('@'));
            out.kind = UsdValue::Kind::words;
            if (next('<')) (void)between('<');
            if (sees('(')) (void)metadataBody(depth + 1);
        } else if (c == '<') {
            out.words.push_back(between('<'));
            out.kind = UsdValue::Kind::words;
            if (sees('(')) (void)metadataBody(depth + 1);
        } else if (c == '{') {
            ++at_;
            out.kind = UsdValue::Kind::dictionary;
            out.entries = dictionary(depth + 1);
        } else {
            const std::string w = word();
            if (w == "inf" || w == "nan") {
                out.numbers.push_back(w == "inf" ? HUGE_VAL : std::numeric_limits<double>::quiet_NaN());
                out.kind = UsdValue::Kind::numbers;
            } else if (w != "None") {
                if (w == "true" || w == "false") out.numbers.push_back(w == "true");
                out.words.push_back(w);
                out.kind = UsdValue::Kind::words;
            }
        }
    }
    /// `type name = value` or `type "name" = value`, up to the closing brace.
    std::map<std::string, UsdValue> dictionary(int depth) {
        std::map<std::string, UsdValue> out;
        while (!sees('}')) {
            std::string name = next('"') || next('\'') ? quoted() : word();
            if (!next('=') && !next(':')) name = next('"') || next('\'') ? quoted() : word();
            if (!sees('=')) expect(':');
            out[name] = value(depth);
            (void)sees(',');
        }
        return out;
    }
    UsdValue metadata() { return metadataBody(0); }
    /// After the opening bracket: a comment as a string, and `[prepend] name = value`.
    UsdValue metadataBody(int depth) {
        UsdValue out;
        out.kind = UsdValue::Kind::dictionary;
        while (!sees(')')) {
            if (next('"') || next('\'')) {
                (void)quoted();
                continue;
            }
            std::string name = word();
            if (name == "prepend" || name == "append" || name == "add" || name == "delete" || name == "reorder")
                name = word();
            expect('=');
            out.entries[name] = value(depth);
            (void)sees(',');
        }
        return out;
    }
    std::unique_ptr<UsdPrim> prim(const std::string& specifier) {
        if (++depth_ > deepest) fail();
        auto out = std::make_unique<UsdPrim>();
        out->specifier = specifier;
        if (!next('"') && !next('\'')) out->type = word();
        out->name = quoted();
        if (sees('(')) out->metadata = metadata();
        expect('{');
        body(*out);
        --depth_;
        return out;
    }
    void body(UsdPrim& out) {
        while (!sees('}')) {
            std::string first = word();
            if (first == "def" || first == "over" || first == "class") {
                out.children.push_back(prim(first));
            } else if (first == "variantSet") {
                variants(out);
            } else if (first == "reorder") {
                (void)word(), expect('='), (void)value();
            } else {
                property(out, std::move(first));
            }
        }
    }
    void variants(UsdPrim& out) {
        const std::string set = quoted();
        expect('=');
        expect('{');
        const UsdValue* chosen = out.metadata.entry("variants");
        const UsdValue* name = chosen ? chosen->entry(set) : nullptr;
        bool first = true;
        while (!sees('}')) {
            const std::string variant = quoted();
            if (sees('(')) (void)metadata();
            expect('{');
            UsdPrim here;
            if (++depth_ > deepest) fail();
            body(here);
            --depth_;
            if (name ? name->word() == variant : first) {
                for (auto& p : here.properties) out.properties.insert(std::move(p));
                for (auto& c : here.children) out.children.push_back(std::move(c));
            }
            first = false;
        }
    }
    void property(UsdPrim& out, std::string type) {
        while (type == "custom" || type == "uniform" || type == "varying" || type == "config" || type == "prepend" ||
               type == "append" || type == "add" || type == "delete")
            type = word();
        std::string name = word();
        bool samples = false;
        for (const char* ending : {".timeSamples", ".connect", ".default"})
            if (name.size() > std::strlen(ending) && name.ends_with(ending)) {
                samples = std::strcmp(ending, ".timeSamples") == 0;
                name.resize(name.size() - std::strlen(ending));
            }
        UsdProperty& p = out.properties[name];
        p.type = type;
        if (sees('=')) {
            if (samples) {
                expect('{');
                while (!sees('}')) {
                    blanks();
                    const double time = numberHere();
                    expect(':');
                    p.samples.emplace_back(time, value());
                    (void)sees(',');
                }
                std::stable_sort(p.samples.begin(), p.samples.end(),
                                 [](const auto& a, const auto& b) { return a.first < b.first; });
            } else {
                p.value = value();
            }
        }
        if (sees('(')) p.metadata = metadata();
    }

    const char *at_, *begin_, *end_;
    const std::string& source_;
    int depth_ = 0;
};

}  // namespace

UsdLayer readUsdaLayer(const std::string& content, const std::string& source) {
    return UsdaParser(content, source).layer();
}

}  // namespace va
