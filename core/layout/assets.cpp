// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/assets.h"

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "base/error.h"
#include "base/text.h"
#include "media/codec/picture_codec.h"
#include "media/display_transform.h"
#include "media/plate_source.h"

namespace va {
namespace {

/// Pictures that are kept ready: some seconds of a movie card, and the pictures of a scene.
constexpr size_t mostPictures = 96;

std::shared_ptr<const Picture8> displayed(const Picture& p, PictureEncoding encoding) {
    auto out = std::make_shared<Picture8>(p.width, p.height);
    const auto byte = [](float v) { return uint8_t(std::lround(255 * std::clamp(v, 0.0F, 1.0F))); };
    for (size_t i = 0; i < p.data.size(); i += 4) {
        // Colour is multiplied by alpha: the curve belongs to the colour itself.
        const float a = std::isfinite(p.data[i + 3]) ? std::clamp(p.data[i + 3], 0.0F, 1.0F) : 1;
        for (size_t c = 0; c < 3; ++c) {
            const float v = std::isfinite(p.data[i + c]) ? p.data[i + c] : 0;
            out->data[i + c] = byte(encoding == PictureEncoding::display ? v
                                    : a > 0                              ? a * displayValue(v / a, encoding)
                                                                         : displayValue(v, encoding));
        }
        out->data[i + 3] = byte(a);
    }
    return out;
}

/// A PNG or JPEG that lies within another file.
std::shared_ptr<const Picture8> decoded(const std::vector<unsigned char>& bytes) {
    const bool png = bytes.size() > 4 && bytes[0] == 0x89 && bytes[1] == 'P';
    PictureLayout layout;
    std::vector<uint8_t> values;
    if (!pictureCodec().decode(bytes, png, layout, values)) return nullptr;
    auto out = std::make_shared<Picture8>(layout.width, layout.height);
    const size_t n = layout.channels.size();
    for (size_t i = 0; i < out->data.size() / 4; ++i) {
        for (size_t c = 0; c < 3; ++c) out->data[4 * i + c] = values[n * i + (n >= 3 ? c : 0)];
        out->data[4 * i + 3] = n == 4 ? values[n * i + 3] : n == 2 ? values[n * i + 1] : 255;
    }
    return out;
}

}  // namespace

struct Assets::Opened {
    std::filesystem::file_time_type changed{};
    std::shared_ptr<const MeshFile> mesh;
    std::unique_ptr<PlateSource> source;
    std::vector<int> frames;  ///< of the source
    std::string trouble;
};

Assets::Assets() = default;
Assets::~Assets() = default;

/// The entry of a file as it is on disk now: a new one where it was not read yet or has changed. The caller has the
/// lock.
Assets::Opened* Assets::opened(const std::string& file) {
    std::error_code code;
    const auto changed = std::filesystem::last_write_time(file, code);
    auto& at = files_[file];
    // A series has no file of its own name: it stays once it was opened.
    const bool same = at && (code ? at->source || !at->trouble.empty() : at->changed == changed);
    if (same) return at.get();
    if (at) held_.remove_if([&](const Held& h) { return h.file == file; });
    at = std::make_unique<Opened>();
    if (!code) at->changed = changed;
    return at.get();
}

std::shared_ptr<const MeshFile> Assets::mesh(const std::string& file) {
    if (file.empty()) return nullptr;
    const std::lock_guard lock(lock_);
    Opened* o = opened(file);
    if (o->mesh || !o->trouble.empty()) return o->mesh;
    try {
        o->mesh = readMesh(file);
    } catch (const std::exception& e) {
        o->trouble = e.what();
    }
    return o->mesh;
}

std::shared_ptr<const Picture8> Assets::picture(const std::string& file, int frame, bool loop) {
    if (file.empty()) return nullptr;
    if (const size_t star = file.rfind('*'); star != std::string::npos) {
        const auto from = mesh(file.substr(0, star));
        const auto index = size_t(std::max(0, std::atoi(file.c_str() + star + 1)));
        if (!from || index >= from->pictures.size()) return nullptr;
        const std::lock_guard lock(lock_);
        for (const Held& h : held_)
            if (h.file == file) return h.picture;
        held_.push_front({file, 0, decoded(from->pictures[index])});
        return held_.front().picture;
    }
    const std::lock_guard lock(lock_);
    Opened* o = opened(file);
    if (!o->source && o->trouble.empty()) try {
            o->source = openPlate(file);
            o->frames = o->source->info().existing();
            if (o->frames.empty()) throw InputError(text("\"%s\" has no picture that can be read.", file.c_str()));
        } catch (const std::exception& e) {
            o->trouble = e.what();
            o->source.reset();
        }
    if (!o->source) return nullptr;
    const int n = int(o->frames.size());
    const int index = loop ? ((frame % n) + n) % n : std::clamp(frame, 0, n - 1);
    for (auto at = held_.begin(); at != held_.end(); ++at)
        if (at->file == file && at->frame == index) {
            held_.splice(held_.begin(), held_, at);
            return held_.front().picture;
        }
    std::shared_ptr<const Picture8> read;
    try {
        read = displayed(o->source->colours(o->frames[size_t(index)]), o->source->info().encoding);
    } catch (const std::exception& e) {
        o->trouble = e.what();
        return nullptr;
    }
    held_.push_front({file, index, read});
    if (held_.size() > mostPictures) held_.pop_back();
    return read;
}

Assets::Moving Assets::moving(const std::string& file) {
    if (!picture(file, 0)) return {};
    const std::lock_guard lock(lock_);
    const Opened* o = opened(file);
    if (!o->source || o->frames.size() < 2) return {};
    return {int(o->frames.size()),
            o->source->info().rateAssumed ? std::nullopt : std::optional(o->source->info().rate)};
}

std::string Assets::trouble(const std::string& file) {
    const std::lock_guard lock(lock_);
    const auto at = files_.find(file);
    return at == files_.end() || !at->second ? std::string() : at->second->trouble;
}

Assets& assets() {
    static Assets all;
    return all;
}

}  // namespace va
