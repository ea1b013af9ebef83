// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/movie_source.h"

extern "C" {
#include <libavutil/pixdesc.h>
}

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "base/text.h"
#include "media/movie/frame_colour.h"
#include "media/movie/movie_decoder.h"
#include "media/movie/movie_rate.h"
#include "media/movie/open_decoder.h"
#include "media/rotate.h"

namespace va {
namespace {

Rational rational(AVRational r) { return r.num > 0 && r.den > 0 ? reduced(r.num, r.den) : Rational{0, 1}; }

std::string frames(const std::vector<int>& numbers) {
    std::vector<FrameRange> runs;
    for (const int f : numbers) {
        if (!runs.empty() && runs.back().last + 1 == f) runs.back().last = f;
        else runs.push_back({f, f});
    }
    return describeRanges(runs);
}

class MovieSource final : public PlateSource {
  public:
    MovieSource(const std::string& path, std::optional<int> stream, Progress* progress)
        : path_(path), movie_(path, indexMovie(path, stream.value_or(-1), progress)), converter_(path) {
        fillInfo();
    }

    Luma luma(int frame) override {
        const DecodedFrame& f = whole(frame);
        Luma out = upright(converter_.luma(*f.picture, std::move(spare_)), orientation_);
        lumaDamage_ = f.serial ? dependence(f, out) : DamageMask();
        return out;
    }
    Picture colours(int frame) override { return upright(converter_.colours(*whole(frame).picture), orientation_); }
    DisplayPicture display(int frame) override {
        const DecodedFrame& f = decode(frame);
        displayDamage_ = f.damage;
        return upright(converter_.display(*f.picture), orientation_);
    }
    [[nodiscard]] int quickFrameNear(int frame) const override {
        int best = frame, least = std::numeric_limits<int>::max();
        for (const int index : movie_.index().startPlaces) {
            const int number = firstMovieFrame + index;
            if (std::abs(number - frame) < least) best = number, least = std::abs(number - frame);
        }
        return best;
    }

  private:
    /// The decoded picture, whole or patched up. Throws DamagedFrame where there is none, or one of another size.
    const DecodedFrame& decode(int frame) {
        if (!info_.frames.contains(frame)) {
            throw InputError(text("Frame %d is outside of \"%s\", which has %d–%d.", frame, path_.c_str(),
                                  info_.frames.first, info_.frames.last));
        }
        std::string why;
        const DecodedFrame* f = movie_.frame(frame - firstMovieFrame, &why);
        if (!f) throw damaged(frame, why);
        if (codedWidth_ > 0 && (f->picture->width != codedWidth_ || f->picture->height != codedHeight_))
            throw damaged(frame, text("it is %d × %d px and the movie began with %d × %d", f->picture->width,
                                      f->picture->height, codedWidth_, codedHeight_));
        return *f;
    }
    const DecodedFrame& whole(int frame) {
        const DecodedFrame& f = decode(frame);
        if (!f.damage.empty()) throw damaged(frame, f.damage);
        return f;
    }
    /// What of a picture depends on damaged ones.
    [[nodiscard]] DamageMask dependence(const DecodedFrame& f, const Luma& luma) {
        const AVFrame* otherwise = f.otherwise.get();
        if (!otherwise || otherwise->width != f.picture->width || otherwise->height != f.picture->height)
            return DamageMask::all(luma.width, luma.height);
        // Changes of single levels do not move what is tracked.
        return DamageMask::ofDifference(luma, upright(converter_.luma(*otherwise, {}), orientation_), 3);
    }
    [[nodiscard]] DamagedFrame damaged(int frame, const std::string& why) const {
        return {
            text("Frame %d of \"%s\": %s. Leave it out, or copy the file again.", frame, path_.c_str(), why.c_str()),
            why};
    }

    /// A picture to learn the format from: the first that can be decoded.
    const AVFrame& firstPicture() {
        const int count = int(movie_.index().frames.size());
        for (int index = 0; index < std::min(count, 64); ++index)
            if (const DecodedFrame* f = movie_.frame(index)) return *f->picture;
        throw InputError(
            text("\"%s\" holds no frame that can be decoded: it may be cut off, damaged or encrypted. Copy it again, "
                 "or convert it to ProRes, H.264 or numbered stills.",
                 path_.c_str()));
    }

    void fillInfo() {
        const AVFrame& first = firstPicture();
        AVStream& stream = movie_.stream();
        const AVCodecParameters& par = *stream.codecpar;
        codedWidth_ = first.width;
        codedHeight_ = first.height;
        info_.spec = path_;
        info_.format = movie_.codecName();
        const AVRational aspect =
            av_guess_sample_aspect_ratio(&movie_.container(), &stream, const_cast<AVFrame*>(&first));
        if (aspect.num > 0 && aspect.den > 0) info_.pixelAspect = reduced(aspect.num, aspect.den);
        info_.frames = {firstMovieFrame, firstMovieFrame + int(movie_.index().frames.size()) - 1};
        const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(AVPixelFormat(first.format));
        if (d) info_.bits = d->comp[0].depth;
        if (par.color_trc == AVCOL_TRC_LINEAR) info_.encoding = PictureEncoding::linear;
        if (par.color_trc == AVCOL_TRC_LOG || par.color_trc == AVCOL_TRC_LOG_SQRT)
            info_.encoding = PictureEncoding::log;
        orientation_ = orientationOf(stream);
        info_.rotation = orientation_.rotation;
        info_.mirrored = orientation_.mirrored;
        const bool turned = orientation_.turned();
        info_.width = turned ? first.height : first.width;
        info_.height = turned ? first.width : first.height;
        if (turned) info_.pixelAspect = reduced(info_.pixelAspect.den, info_.pixelAspect.num);
        const MovieColour colour = MovieColour::of(first);
        info_.colour = colour.words();
        if (colour.guessed)
            info_.notes.push_back(
                text("The movie does not say how its colours are coded: %s is taken, as is usual for its size.",
                     info_.colour.c_str()));
        if (d && (d->flags & AV_PIX_FMT_FLAG_ALPHA))
            info_.notes.push_back(text("The movie has an alpha channel. The plate ignores it."));
        info_.interlaced = par.field_order > AV_FIELD_PROGRESSIVE || first.interlaced_frame;
        if (info_.interlaced)
            info_.notes.push_back(text(
                "The movie is flagged as interlaced. Have it de-interlaced if lines of two moments are woven into each "
                "picture."));
        info_.stream = movie_.index().stream;
        readStreams();
        readTags();
        readRate();
        // Old AVI files count frames that are empty, and repeat the one before: those last as long as they promise.
        const std::vector<int64_t>& times = movie_.index().times;
        const double lasts = times.empty() ? 0 : double(times.back() - times.front()) * av_q2d(stream.time_base);
        if (stream.nb_frames > int64_t(movie_.index().packets.size()) &&
            lasts < 0.98 * double(stream.nb_frames - 1) * av_q2d(av_inv_q(stream.avg_frame_rate)))
            endBeforeTheCut(stream.nb_frames);
        else if (!holes_.empty()) info_.warnings.push_back(holes_);
    }

    void readStreams() {
        std::vector<int> all;
        for (const MovieStream& s : movie_.streams())
            if (!s.cover) all.push_back(s.stream);
        if (all.size() < 2) return;
        info_.streams = all;
        info_.notes.push_back(text("The movie has %zu moving pictures; stream %d is shown.", all.size(), info_.stream));
    }

    /// A file that breaks off leaves holes and half pictures at its end: the plate ends at the last frame before the
    /// first hole that can be decoded.
    void endBeforeTheCut(int64_t promised) {
        const std::vector<int64_t>& times = movie_.index().times;
        int whole = info_.frames.count();
        const double step = info_.rate.positive() ? 1 / (info_.rate.value() * av_q2d(movie_.stream().time_base)) : 0;
        for (int i = 1; i < std::min(whole, int(times.size())); ++i)
            if (step > 0 && double(times[size_t(i)] - times[size_t(i) - 1]) > 1.5 * step) {
                whole = i;
                break;
            }
        for (int tries = 0; tries < 32 && whole > 1; ++tries) {
            const DecodedFrame* f = movie_.frame(whole - 1);
            if (f && f->damage.empty()) break;
            --whole;
        }
        info_.frames.last = firstMovieFrame + whole - 1;
        info_.warnings.push_back(text(
            "The movie is cut off: it announces %lld frames, and %d can be read. Copy it again, or work with these.",
            static_cast<long long>(promised), whole));
    }

    void readRate() {
        AVStream& stream = movie_.stream();
        RateEvidence e;
        e.container = rational(stream.avg_frame_rate);
        const Rational base = rational(stream.r_frame_rate);
        e.stream = movie_.codedRate();
        e.times = movie_.index().times;
        e.timeBase = rational(stream.time_base);
        // The smallest step of all stamps is a rate as well, where the mean is distorted by holes.
        if (!e.container.positive() || (base.positive() && e.times.empty())) e.container = base;
        MovieRate r = findRate(e);
        info_.rate = r.rate;
        info_.rateAssumed = r.assumed;
        if (!r.disagreement.empty()) info_.notes.push_back(r.disagreement);
        if (r.variable) {
            const double unit = e.timeBase.value();
            for (const int64_t t : e.times) info_.times.push_back(double(t - e.times.front()) * unit);
            info_.warnings.push_back(
                text("The movie's frames are not evenly spaced in time (variable rate: %.1f to %.1f a second); %s fits "
                     "best. "
                     "Convert it to a constant rate before the camera goes to another program.",
                     1 / r.longest, r.shortest > 0 ? 1 / r.shortest : 0, r.rate.label().c_str()));
            return;
        }
        std::vector<int> before, twice;
        int lacking = 0;
        for (const auto& h : r.dropped) before.push_back(firstMovieFrame + h.index), lacking += h.frames;
        for (const int i : r.doubled) twice.push_back(firstMovieFrame + i);
        if (lacking > 0)
            holes_ = text("By its time stamps, the movie lacks %d frame%s: after %s.", lacking, lacking == 1 ? "" : "s",
                          frames(before).c_str());
        if (!twice.empty())
            info_.notes.push_back(
                text("By their time stamps, these frames are shown at the time of the one before: %s.",
                     frames(twice).c_str()));
    }

    void readTags() {
        const auto tag = [&](const char* name) -> std::string {
            for (const AVDictionary* from : {movie_.stream().metadata, movie_.container().metadata})
                if (const AVDictionaryEntry* e = av_dict_get(from, name, nullptr, 0)) return e->value;
            return {};
        };
        info_.cameraMaker = tag("com.apple.quicktime.make");
        info_.cameraModel = tag("com.apple.quicktime.model");
        if (info_.cameraMaker.empty()) info_.cameraMaker = tag("make");
        if (info_.cameraModel.empty()) info_.cameraModel = tag("model");
    }

    std::string path_;
    std::string holes_;  ///< a warning: by its stamps the movie lacks frames; empty where it does not
    MovieDecoder movie_;
    FrameConverter converter_;
    Orientation orientation_;
    int codedWidth_ = 0, codedHeight_ = 0;
};

}  // namespace

std::unique_ptr<PlateSource> openMovie(const std::string& path, std::optional<int> stream, Progress* progress) {
    return std::make_unique<MovieSource>(path, stream, progress);
}

}  // namespace va
