// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/index_cache.h"

#include <algorithm>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <type_traits>
#include <vector>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/text.h"
#include "media/movie/av_handles.h"

namespace fs = std::filesystem;

namespace va {
namespace {

constexpr uint32_t version = 2;
constexpr size_t filesKept = 64;

uint64_t fnv(const char* data, size_t size, uint64_t h = 14695981039346656037ull) {
    for (size_t i = 0; i < size; ++i) h = (h ^ uint8_t(data[i])) * 1099511628211ull;
    return h;
}

/// Plain values one after the other, in the machine's byte order: the cache does not leave the machine.
class Writer {
  public:
    template <class T>
    void value(const T& v) requires std::is_trivially_copyable_v<T> {
        out_.append(reinterpret_cast<const char*>(&v), sizeof v);
    }
    template <class T>
    void list(const std::vector<T>& v) {
        value(uint64_t(v.size()));
        out_.append(reinterpret_cast<const char*>(v.data()), v.size() * sizeof(T));
    }
    [[nodiscard]] const std::string& text() const { return out_; }

  private:
    std::string out_;
};

class Reader {
  public:
    explicit Reader(const std::string& text) : text_(text) {}
    template <class T>
    bool value(T& v) {
        if (text_.size() - at_ < sizeof v) return false;
        std::memcpy(&v, text_.data() + at_, sizeof v);
        at_ += sizeof v;
        return true;
    }
    template <class T>
    bool list(std::vector<T>& v) {
        uint64_t n = 0;
        if (!value(n) || (text_.size() - at_) / sizeof(T) < n) return false;
        v.resize(size_t(n));
        std::memcpy(static_cast<void*>(v.data()), text_.data() + at_, size_t(n) * sizeof(T));
        at_ += size_t(n) * sizeof(T);
        return true;
    }
    [[nodiscard]] bool ended() const { return at_ == text_.size(); }

  private:
    const std::string& text_;
    size_t at_ = 0;
};

fs::path fileFor(const std::string& fingerprint) {
    const fs::path folder = movieCacheFolder();
    return folder.empty() ? fs::path() : folder / (fingerprint + ".index");
}

/// The oldest go when there are too many.
void prune(const fs::path& folder) {
    std::vector<std::pair<fs::file_time_type, fs::path>> files;
    std::error_code code;
    for (const auto& e : fs::directory_iterator(folder, code))
        if (e.path().extension() == ".index") files.emplace_back(e.last_write_time(code), e.path());
    if (files.size() <= filesKept) return;
    std::sort(files.begin(), files.end());
    for (size_t i = 0; i + filesKept < files.size(); ++i) fs::remove(files[i].second, code);
}

}  // namespace

fs::path movieCacheFolder() {
    const char* cache = std::getenv("XDG_CACHE_HOME");
    if (cache && *cache == '/') return fs::path(cache) / "vivid-anchor" / "movies";
    const char* home = std::getenv("HOME");
    return home && *home == '/' ? fs::path(home) / ".cache" / "vivid-anchor" / "movies" : fs::path();
}

std::string fingerprintOfMovie(const std::string& path, int stream) {
    std::error_code code;
    const auto size = fs::file_size(path, code);
    if (code) return {};
    const auto changed = fs::last_write_time(path, code).time_since_epoch().count();
    std::ifstream in(path, std::ios::binary);
    std::string ends(size_t(std::min<std::uintmax_t>(size, 65536)), '\0');
    in.read(ends.data(), std::streamsize(ends.size()));
    uint64_t h = fnv(ends.data(), size_t(in.gcount()));
    in.seekg(-std::streamoff(ends.size()), std::ios::end);
    in.read(ends.data(), std::streamsize(ends.size()));
    h = fnv(ends.data(), size_t(std::max<std::streamsize>(in.gcount(), 0)), h);
    return formatted("%016llx-%llx-%llx-%d-%x-%u", static_cast<unsigned long long>(h),
                     static_cast<unsigned long long>(size), static_cast<unsigned long long>(changed), stream,
                     avformat_version(), version);
}

std::optional<MovieIndex> indexFromCache(const std::string& fingerprint) {
    const fs::path file = fingerprint.empty() ? fs::path() : fileFor(fingerprint);
    std::error_code code;
    if (file.empty() || !fs::is_regular_file(file, code)) return std::nullopt;
    std::string content;
    try {
        content = readFile(file);
    } catch (const InputError&) {
        return std::nullopt;
    }
    if (content.size() < sizeof(uint64_t)) return std::nullopt;
    uint64_t sum = 0;
    std::memcpy(&sum, content.data() + content.size() - sizeof sum, sizeof sum);
    content.resize(content.size() - sizeof sum);
    if (sum != fnv(content.data(), content.size())) return std::nullopt;
    MovieIndex index;
    Reader in(content);
    uint32_t wrote = 0;
    if (!in.value(wrote) || wrote != version || !in.value(index.stream) || !in.value(index.order) ||
        !in.value(index.fields) || !in.list(index.packets) || !in.list(index.frames) || !in.list(index.times) ||
        !in.ended())
        return std::nullopt;
    for (const int f : index.frames)
        if (f < 0 || size_t(f) >= index.packets.size()) return std::nullopt;
    index.listStarts();
    return index;
}

void indexToCache(const std::string& fingerprint, const MovieIndex& index) {
    const fs::path file = fingerprint.empty() ? fs::path() : fileFor(fingerprint);
    if (file.empty()) return;
    Writer out;
    out.value(version);
    out.value(index.stream);
    out.value(index.order);
    out.value(index.fields);
    out.list(index.packets);
    out.list(index.frames);
    out.list(index.times);
    std::string content = out.text();
    const uint64_t sum = fnv(content.data(), content.size());
    content.append(reinterpret_cast<const char*>(&sum), sizeof sum);
    std::error_code code;
    fs::create_directories(file.parent_path(), code);
    if (code) return;
    try {
        writeFileAtomically(file, content);
    } catch (const InputError&) {
        return;  // a full disk costs the next opening some seconds, nothing else
    }
    prune(file.parent_path());
}

}  // namespace va
