// SPDX-License-Identifier: GPL-3.0-or-later
#include <zip.h>
#include <zlib.h>

#include <cstdint>
#include <filesystem>
#include <memory>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/text.h"
#include "exchange/formats.h"
#include "exchange/usda.h"
#include "exchange/usda_read.h"

namespace va {
namespace {

constexpr size_t alignment = 64;
constexpr uint64_t largestEntry = 2000000000;

void put(std::string& to, uint64_t value, int bytes) {
    for (int i = 0; i < bytes; ++i) to += char(value >> (8 * i) & 255);
}

/// A zip archive as OpenUSD wants it ("Usdz File Format Specification"): stored, each file's data at a multiple of 64
/// bytes, the layer first. (PKWARE's APPNOTE 4.3 for the records.)
class ZipWriter {
  public:
    void add(const std::string& name, const std::string& data) {
        const auto crc = uint32_t(::crc32(0, reinterpret_cast<const Bytef*>(data.data()), uInt(data.size())));
        const uint64_t at = out_.size();
        // A field of nothing in the header brings the data to its place.
        const size_t before = out_.size() + 30 + name.size() + 4;
        const size_t fill = (alignment - before % alignment) % alignment;
        put(out_, 0x04034b50, 4);
        common(out_, name, data, crc, 4 + fill);
        out_ += name;
        put(out_, 0x1986, 2), put(out_, fill, 2);
        out_.append(fill, '\0');
        out_ += data;
        put(directory_, 0x02014b50, 4);
        put(directory_, 20, 2);
        common(directory_, name, data, crc, 0);
        put(directory_, 0, 2), put(directory_, 0, 2), put(directory_, 0, 2), put(directory_, 0, 4),
            put(directory_, at, 4);
        directory_ += name;
        ++count_;
    }
    std::string finish() {
        const uint64_t at = out_.size();
        out_ += directory_;
        put(out_, 0x06054b50, 4), put(out_, 0, 4), put(out_, count_, 2), put(out_, count_, 2);
        put(out_, directory_.size(), 4), put(out_, at, 4), put(out_, 0, 2);
        return std::move(out_);
    }

  private:
    static void common(std::string& to, const std::string& name, const std::string& data, uint32_t crc, size_t extra) {
        put(to, 20, 2), put(to, 0x0800, 2), put(to, 0, 2);  // version, names in UTF-8, stored
        put(to, 0, 2), put(to, 0x21, 2);  // the first day that there is: the same scene, the same file
        put(to, crc, 4), put(to, data.size(), 4), put(to, data.size(), 4), put(to, name.size(), 2), put(to, extra, 2);
    }
    std::string out_, directory_;
    uint64_t count_ = 0;
};

OutFiles writeZip(const SceneExport& s) {
    ZipWriter zip;
    uint64_t total = 0;
    OutFiles files = usdaFiles(s);
    for (OutFile& f : files) {
        if (!f.copyOf.empty()) f.content = readFile(f.copyOf);
        total += f.content.size();
        if (total > largestEntry)
            throw InputError(
                text("The pictures of the things are too large for one .usdz file (more than 2 GB). Export .usda."));
        zip.add(f.name.empty() ? "camera.usda" : f.name, f.content);
    }
    return {{"", zip.finish(), ""}};
}

ForeignScene readZip(const std::string& content, const std::string& source) {
    zip_error_t trouble;
    zip_error_init(&trouble);
    zip_source_t* bytes = zip_source_buffer_create(content.data(), content.size(), 0, &trouble);
    zip_t* opened = bytes ? zip_open_from_source(bytes, ZIP_RDONLY, &trouble) : nullptr;
    if (!opened) {
        if (bytes) zip_source_free(bytes);
        zip_error_fini(&trouble);
        throw InputError(text("\"%s\" is no whole .usdz file. Write it again.", source.c_str()));
    }
    zip_error_fini(&trouble);
    const std::unique_ptr<zip_t, decltype(&zip_discard)> archive(opened, zip_discard);
    zip_stat_t stat;
    if (zip_get_num_entries(archive.get(), 0) < 1 || zip_stat_index(archive.get(), 0, 0, &stat) != 0 ||
        stat.size > largestEntry)
        throw InputError(text("\"%s\" is no whole .usdz file. Write it again.", source.c_str()));
    const std::string name = stat.name;
    if (!lowerCase(name).ends_with(".usda")) {
        // A layer named .usd may be text as well; the first bytes tell.
        if (!lowerCase(name).ends_with(".usd"))
            throw InputError(
                text("\"%s\" holds \"%s\", a binary layer: only OpenUSD text is read. Save the stage as .usda.",
                     source.c_str(), name.c_str()));
    }
    std::string layer(size_t(stat.size), '\0');
    const std::unique_ptr<zip_file_t, decltype(&zip_fclose)> file(zip_fopen_index(archive.get(), 0, 0), zip_fclose);
    if (!file || zip_fread(file.get(), layer.data(), stat.size) != zip_int64_t(stat.size))
        throw InputError(text("\"%s\" is no whole .usdz file. Write it again.", source.c_str()));
    ForeignScene out = readUsdaScene(layer, source);
    out.format = "usdz";
    return out;
}

}  // namespace

const ExportFormat usdzFormat{
    .word = "usdz",
    .label = "Zipped scene, OpenUSD",
    .fileName = "camera.usdz",
    .write = writeZip,
    .read = readZip,
    .lacks = [](const SceneExport& s) { return usdaFormat.lacks(s); },
    .holdsVisibility = true,
};

}  // namespace va
