// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/sequence_source.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>
#include <tuple>

#include "base/error.h"
#include "base/parallel.h"
#include "base/text.h"
#include "media/camera_metadata.h"
#include "media/display_transform.h"
#include "media/picture_file.h"
#include "media/still_reader.h"

namespace va {
namespace {

std::string formatLabel(const std::string& name) {
    if (name == "jpeg") return "JPEG";
    if (name == "openexr") return "EXR";
    if (name == "targa") return "TGA";
    if (name == "jpeg2000") return "JPEG 2000";
    if (name == "webp") return "WebP";
    std::string upper = name;
    for (char& c : upper) c = char(std::toupper(static_cast<unsigned char>(c)));
    return upper;
}

/// What all stills of a plate have to share. Sizes are of the upright picture.
struct Kind {
    int width = 0, height = 0, bits = 0;
    bool floats = false;
    friend bool operator==(const Kind&, const Kind&) = default;
    friend bool operator<(const Kind& a, const Kind& b) {
        return std::tie(a.width, a.height, a.bits, a.floats) < std::tie(b.width, b.height, b.bits, b.floats);
    }
};

Kind kindOf(const StillReader& r) {
    const bool turned = r.orientation().turned();
    return {turned ? r.height() : r.width(), turned ? r.width() : r.height(), r.bits(), r.floats()};
}

class SequenceSource final : public PlateSource {
  public:
    explicit SequenceSource(const PlateLocation& location) : stills_(location.stills) {
        info_.spec = location.spec;
        info_.frames = {stills_.begin()->first, stills_.rbegin()->first};
        info_.still = stills_.size() == 1;
        info_.notes = location.notes;
        info_.otherSeries = location.others;
        readHeaders();
        findGaps();
    }

    Luma luma(int frame) override {
        const Pixels p = read(frame);
        Luma out(p.width, p.height);
        for (size_t i = 0; i < out.data.size(); ++i) {
            const float* v = &p.values[i * size_t(p.channels)];
            out.data[i] = 255.0f * (p.channels == 3 ? 0.2126f * v[0] + 0.7152f * v[1] + 0.0722f * v[2] : v[0]);
        }
        return upright(std::move(out), p.orientation);
    }

    DisplayPicture display(int frame) override {
        const Pixels p = read(frame);
        DisplayPicture out(p.width, p.height);
        for (size_t i = 0; i < out.data.size(); ++i) {
            const float* v = &p.values[i * size_t(p.channels)];
            const auto byte = [&](int c) { return uint32_t(std::lround(255 * v[p.channels == 3 ? c : 0])); };
            out.data[i] = 0xff000000u | byte(0) << 16 | byte(1) << 8 | byte(2);
        }
        return upright(std::move(out), p.orientation);
    }

    Picture colours(int frame) override {
        const auto [reader, pixels] = whole(frame, true);
        return upright(colourPicture(*reader, pixels), reader->orientation());
    }

  private:
    struct Pixels {
        int width = 0, height = 0, channels = 0;
        Orientation orientation;
        std::vector<float> values;  ///< display-encoded, 0..1
    };

    /// Reads all headers. What most stills are, the plate is; the others are left out, as are those that can't be read.
    void readHeaders() {
        std::map<Kind, int> counts;
        std::map<int, Kind> kinds;
        std::string trouble;
        for (const auto& [number, path] : stills_) {
            try {
                const StillReader r(path);
                ++counts[kinds[number] = kindOf(r)];
            } catch (const InputError& e) {
                if (trouble.empty()) trouble = e.what();
                leaveOut(number, e.what());
            }
        }
        if (kinds.empty()) throw InputError(trouble);
        // Of two that are equally many, the one that comes first.
        kind_ = kinds.begin()->second;
        for (const auto& [kind, n] : counts)
            if (n > counts[kind_]) kind_ = kind;
        const int first =
            std::find_if(kinds.begin(), kinds.end(), [&](const auto& k) { return k.second == kind_; })->first;
        for (const auto& [number, kind] : kinds)
            if (!(kind == kind_)) leaveOut(number, otherKind(kind));
        std::sort(info_.damaged.begin(), info_.damaged.end(),
                  [](const FrameDamage& a, const FrameDamage& b) { return a.frame < b.frame; });
        takeFrom(stills_.at(first));
    }

    void leaveOut(int number, const std::string& cause) { info_.damaged.push_back({number, cause}); }

    [[nodiscard]] std::string otherKind(const Kind& k) const {
        if (k.width != kind_.width || k.height != kind_.height)
            return text("it is %d × %d px, the others are %d × %d", k.width, k.height, kind_.width, kind_.height);
        return text("it has %d%s bits a channel, the others have %d%s", k.bits, k.floats ? " float" : "", kind_.bits,
                    kind_.floats ? " float" : "");
    }

    void takeFrom(const std::filesystem::path& path) {
        const StillReader r(path);
        info_.rotation = r.orientation().rotation;
        info_.mirrored = r.orientation().mirrored;
        info_.width = kind_.width;
        info_.height = kind_.height;
        info_.bits = kind_.bits;
        info_.format = formatLabel(r.format()) + (stills_.size() > 1 ? " stills" : " photo");
        if (r.log()) info_.encoding = PictureEncoding::log;
        else if (r.floats()) info_.encoding = PictureEncoding::linear;
        if (r.alpha()) info_.notes.push_back(text("The stills have an alpha channel. The plate ignores it."));
        if (r.parts() > 1)
            info_.notes.push_back(text("The files hold %d parts; the one with the colours is shown.", r.parts()));
        const PictureLayout& l = r.layout();
        if (l.width != l.fullWidth || l.height != l.fullHeight)
            info_.notes.push_back(text("The files hold %d × %d px of a picture of %d × %d px.", l.width, l.height,
                                       l.fullWidth, l.fullHeight));
        readTags(r.tags(), path);
    }

    void findGaps() {
        int before = info_.frames.first;
        for (const auto& [n, unused] : stills_) {
            if (n > before + 1) info_.gaps.push_back({before + 1, n - 1});
            before = n;
        }
        std::string what;
        if (!info_.gaps.empty()) what = text("Frames %s are missing", describeRanges(info_.gaps).c_str());
        if (!info_.damaged.empty()) {
            std::vector<FrameRange> runs;
            for (const FrameDamage& d : info_.damaged) {
                if (!runs.empty() && runs.back().last + 1 == d.frame) runs.back().last = d.frame;
                else runs.push_back({d.frame, d.frame});
            }
            what +=
                text("%s%s can't be used (frame %d: %s)", what.empty() ? "Frames " : "; ", describeRanges(runs).c_str(),
                     info_.damaged.front().frame, info_.damaged.front().cause.c_str());
        }
        if (!what.empty())
            info_.warnings.push_back(
                text("%s. Their pictures stay empty and get no camera; bring the files back, or choose a range without "
                     "them.",
                     what.c_str()));
    }

    void readTags(const PictureInput& tags, const std::filesystem::path& path) {
        const auto positive = [&](const char* name) -> std::optional<double> {
            const float v = tags.real(name);
            return v > 0 && std::isfinite(v) ? std::optional<double>(v) : std::nullopt;
        };
        const CameraMetadata camera = readCameraMetadata(path);
        info_.focalMm = camera.focalMm ? camera.focalMm : positive("Exif:FocalLength");
        info_.focal35Mm = camera.focal35Mm ? camera.focal35Mm : positive("Exif:FocalLengthIn35mmFilm");
        info_.sensorWidthMm = camera.sensorWidthMm;
        info_.digitalZoom = camera.digitalZoom;
        info_.lensModel = camera.lens;
        info_.cameraMaker = !camera.maker.empty() ? camera.maker : tags.word("Make");
        info_.cameraModel = !camera.model.empty() ? camera.model : tags.word("Model");
        if (const auto aspect = positive("PixelAspectRatio"))
            info_.pixelAspect = reduced(std::llround(*aspect * 10000), 10000);
        if (const auto rate = tags.rational("FramesPerSecond"); rate && rate->first > 0 && rate->second > 0)
            info_.rate = reduced(rate->first, rate->second);
        // Writers leave garbage in header fields that they do not fill.
        else if (const auto f = positive("dpx:FrameRate"); f && *f >= 1 && *f <= 1000)
            info_.rate = parseRational(std::to_string(*f));
        if (!info_.rate.positive()) {
            info_.rate = {24, 1};
            info_.rateAssumed = true;
        }
    }

    [[nodiscard]] DamagedFrame damaged(int frame, const std::string& cause) const {
        return {text("Frame %d: %s", frame, cause.c_str()), cause};
    }

    /// The still of a frame and its pixels. Throws DamagedFrame.
    std::pair<std::unique_ptr<StillReader>, std::vector<float>> whole(int frame, bool alpha) {
        const auto found = stills_.find(frame);
        if (found == stills_.end()) {
            const std::string sentence =
                text("Frame %d is missing in \"%s\". Bring the file back, or choose a range without it.", frame,
                     info_.spec.c_str());
            if (!info_.frames.contains(frame)) throw InputError(sentence);
            throw DamagedFrame(sentence, text("the file is missing"));
        }
        try {
            auto reader = std::make_unique<StillReader>(found->second);
            if (!(kindOf(*reader) == kind_))
                throw InputError(text("\"%s\" does not fit the other stills: %s.", found->second.string().c_str(),
                                      otherKind(kindOf(*reader)).c_str()));
            std::vector<float> pixels = reader->pixels(alpha);
            return {std::move(reader), std::move(pixels)};
        } catch (const InputError& e) {
            throw damaged(frame, e.what());
        }
    }

    Pixels read(int frame) {
        auto [reader, values] = whole(frame, false);
        Pixels p{reader->width(), reader->height(), reader->grey() ? 1 : 3, reader->orientation(), std::move(values)};
        const PictureEncoding encoding = info_.encoding;
        parallelRanges(p.height, 32, [&](int begin, int end) {
            const size_t line = size_t(p.width) * size_t(p.channels);
            for (size_t i = size_t(begin) * line; i < size_t(end) * line; ++i)
                p.values[i] = displayValue(p.values[i], encoding);
        });
        return p;
    }

    std::map<int, std::filesystem::path> stills_;
    Kind kind_;
};

}  // namespace

std::unique_ptr<PlateSource> openStills(const PlateLocation& location) {
    return std::make_unique<SequenceSource>(location);
}

}  // namespace va
