// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/sequence_source.h"

#include <OpenImageIO/imageio.h>

#include <cmath>
#include <fstream>
#include <string_view>

#include "base/error.h"
#include "base/parallel.h"
#include "media/camera_metadata.h"
#include "media/display_transform.h"
#include "media/picture_file.h"
#include "media/rotate.h"

namespace va {
namespace {

using OIIO::ImageInput;
using OIIO::ImageSpec;
using OIIO::TypeDesc;

int clockwiseDegrees(int exifOrientation) {
    switch (exifOrientation) {  // EXIF 2.3, tag 274; mirrored variants do not come from cameras
        case 3: return 180;
        case 6: return 90;
        case 8: return 270;
        default: return 0;
    }
}

std::string formatLabel(const std::string& name) {
    if (name == "jpeg") return "JPEG";
    if (name == "openexr") return "EXR";
    std::string upper = name;
    for (char& c : upper) c = char(std::toupper(static_cast<unsigned char>(c)));
    return upper;
}

class SequenceSource final : public PlateSource {
  public:
    explicit SequenceSource(const PlateLocation& location) : stills_(location.stills) {
        info_.spec = location.spec;
        readFirst();
        checkOthers();
    }

    Luma luma(int frame) override {
        const Pixels p = read(frame);
        Luma out(p.width, p.height);
        for (size_t i = 0; i < out.data.size(); ++i) {
            const float* v = &p.values[i * size_t(p.channels)];
            out.data[i] = 255.0f * (p.channels == 3 ? 0.2126f * v[0] + 0.7152f * v[1] + 0.0722f * v[2] : v[0]);
        }
        return rotated(std::move(out), info_.rotation);
    }

    DisplayPicture display(int frame) override {
        const Pixels p = read(frame);
        DisplayPicture out(p.width, p.height);
        for (size_t i = 0; i < out.data.size(); ++i) {
            const float* v = &p.values[i * size_t(p.channels)];
            const auto byte = [&](int c) { return uint32_t(std::lround(255 * v[p.channels == 3 ? c : 0])); };
            out.data[i] = 0xff000000u | byte(0) << 16 | byte(1) << 8 | byte(2);
        }
        return rotated(std::move(out), info_.rotation);
    }

    Picture colours(int frame) override {
        const auto found = stills_.find(frame);
        if (found == stills_.end()) (void)read(frame);  // says what is missing
        return rotated(readPicture(found->second).picture, info_.rotation);
    }

  private:
    struct Pixels {
        int width = 0, height = 0, channels = 0;
        std::vector<float> values;  ///< display-encoded, 0..1
    };

    void readFirst() {
        const auto& [number, path] = *stills_.begin();
        const auto in = open(path);
        const ImageSpec& spec = in->spec();
        info_.rotation = clockwiseDegrees(spec.get_int_attribute("Orientation", 1));
        storedWidth_ = spec.width;
        storedHeight_ = spec.height;
        const bool turned = info_.rotation % 180 != 0;
        info_.width = turned ? spec.height : spec.width;
        info_.height = turned ? spec.width : spec.height;
        info_.format = formatLabel(in->format_name()) + (stills_.size() > 1 ? " stills" : " photo");
        info_.still = stills_.size() == 1;
        info_.bits = spec.get_int_attribute("oiio:BitsPerSample", int(spec.format.size() * 8));
        const std::string space = spec.get_string_attribute("oiio:ColorSpace");
        if (space == "KodakLog" || space == "Cineon") info_.encoding = PictureEncoding::log;
        else if (spec.format.is_floating_point()) info_.encoding = PictureEncoding::linear;
        readTags(spec);
        info_.frames = {number, stills_.rbegin()->first};
    }

    /// Missing numbers, and files that turned out to be no pictures: both are gaps.
    void findGaps(const std::vector<FrameRange>& unreadable) {
        int before = info_.frames.first;
        for (const auto& [n, unused] : stills_) {
            if (n > before + 1) info_.gaps.push_back({before + 1, n - 1});
            before = n;
        }
        if (info_.gaps.empty()) return;
        info_.warnings.push_back(
            (unreadable.empty() ? "Frames " + describeRanges(info_.gaps) + " are missing."
                                : "Frames " + describeRanges(info_.gaps) + " are missing; of these, " +
                                      describeRanges(unreadable) + " can't be read.") +
            " Their pictures stay empty and get no camera; bring the files back, or choose a range without them.");
    }

    void readTags(const ImageSpec& spec) {
        const auto positive = [&](const char* name) -> std::optional<double> {
            const float v = spec.get_float_attribute(name, 0);
            return v > 0 && std::isfinite(v) ? std::optional<double>(v) : std::nullopt;
        };
        const CameraMetadata camera = readCameraMetadata(stills_.begin()->second);
        info_.focalMm = camera.focalMm ? camera.focalMm : positive("Exif:FocalLength");
        info_.focal35Mm = camera.focal35Mm ? camera.focal35Mm : positive("Exif:FocalLengthIn35mmFilm");
        info_.sensorWidthMm = camera.sensorWidthMm;
        info_.digitalZoom = camera.digitalZoom;
        info_.lensModel = camera.lens;
        info_.cameraMaker = !camera.maker.empty() ? camera.maker : std::string(spec.get_string_attribute("Make"));
        info_.cameraModel = !camera.model.empty() ? camera.model : std::string(spec.get_string_attribute("Model"));
        if (const auto aspect = positive("PixelAspectRatio"))
            info_.pixelAspect = reduced(std::llround(*aspect * 10000), 10000);
        int rate[2] = {0, 0};
        if (spec.getattribute("FramesPerSecond", TypeDesc(TypeDesc::INT, TypeDesc::VEC2, TypeDesc::RATIONAL), rate) &&
            rate[0] > 0 && rate[1] > 0)
            info_.rate = reduced(rate[0], rate[1]);
        // Writers leave garbage in header fields that they do not fill.
        else if (const auto f = positive("dpx:FrameRate"); f && *f >= 1 && *f <= 1000)
            info_.rate = parseRational(std::to_string(*f));
        if (!info_.rate.positive()) {
            info_.rate = {24, 1};
            info_.rateAssumed = true;
        }
    }

    /// Reads all headers: another size is an error with the frame's number, an unreadable file a gap.
    void checkOthers() {
        std::vector<FrameRange> unreadable;
        for (auto it = std::next(stills_.begin()); it != stills_.end();) {
            const auto& [number, path] = *it;
            const auto in = ImageInput::open(path.string());
            if (!in) {
                (void)OIIO::geterror();
                unreadable.push_back({number, number});
                it = stills_.erase(it);
                continue;
            }
            if (in->spec().width != storedWidth_ || in->spec().height != storedHeight_) {
                throw InputError("Frame " + std::to_string(number) + " (\"" + path.string() + "\") is " +
                                 std::to_string(in->spec().width) + " × " + std::to_string(in->spec().height) +
                                 ", but the sequence began with " + std::to_string(storedWidth_) + " × " +
                                 std::to_string(storedHeight_) +
                                 ". Bring all frames to one size, or split the sequence.");
            }
            ++it;
        }
        info_.frames.last = stills_.rbegin()->first;
        findGaps(unreadable);
    }

    static std::unique_ptr<ImageInput> open(const std::filesystem::path& path) {
        auto in = ImageInput::open(path.string());
        if (!in)
            throw InputError(
                "\"" + path.string() + "\" is not a picture that can be read. Replace it, or leave it out.",
                OIIO::geterror());
        return in;
    }

    Pixels read(int frame) {
        const auto found = stills_.find(frame);
        if (found == stills_.end()) {
            throw InputError("Frame " + std::to_string(frame) + " is missing in \"" + info_.spec +
                             "\". Bring the file back, or choose a range without it.");
        }
        const auto in = open(found->second);
        const ImageSpec& spec = in->spec();
        if (spec.width != storedWidth_ || spec.height != storedHeight_)
            throw InputError("Frame " + std::to_string(frame) +
                             " has another size than the sequence. Bring all frames to one size.");
        // The JPEG reader fills what is missing with grey and calls it a success.
        if (std::string_view(in->format_name()) == "jpeg" && !endsLikeJpeg(found->second))
            throw InputError("Frame " + std::to_string(frame) + " (\"" + found->second.string() +
                             "\") is cut off. Replace it, or leave it out.");
        Pixels p{spec.width, spec.height, spec.nchannels >= 3 ? 3 : 1, {}};
        p.values.resize(size_t(p.width) * size_t(p.height) * size_t(p.channels));
        if (!in->read_image(0, 0, 0, p.channels, TypeDesc::FLOAT, p.values.data())) {
            throw InputError("Frame " + std::to_string(frame) + " (\"" + found->second.string() +
                                 "\") is cut off or damaged. Replace it, or leave it out.",
                             in->geterror());
        }
        const PictureEncoding encoding = info_.encoding;
        parallelRanges(p.height, 32, [&](int begin, int end) {
            const size_t line = size_t(p.width) * size_t(p.channels);
            for (size_t i = size_t(begin) * line; i < size_t(end) * line; ++i)
                p.values[i] = displayValue(p.values[i], encoding);
        });
        return p;
    }

    /// A whole JPEG has its end marker (FF D9, ITU-T T.81) at the end, give or take what some cameras append.
    static bool endsLikeJpeg(const std::filesystem::path& path) {
        std::ifstream in(path, std::ios::binary | std::ios::ate);
        const std::streamoff size = in.tellg(), tail = std::min<std::streamoff>(size, 65536);
        std::string end(size_t(tail), '\0');
        in.seekg(size - tail);
        in.read(end.data(), tail);
        return end.find("\xff\xd9") != std::string::npos;
    }

    std::map<int, std::filesystem::path> stills_;
    int storedWidth_ = 0, storedHeight_ = 0;
};

}  // namespace

std::unique_ptr<PlateSource> openStills(const PlateLocation& location) {
    return std::make_unique<SequenceSource>(location);
}

}  // namespace va
