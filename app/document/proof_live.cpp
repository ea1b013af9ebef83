// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/proof_live.h"

#include <algorithm>

#include "base/error.h"
#include "base/parallel.h"
#include "media/display_transform.h"
#include "workflow/proof_work.h"

namespace va {
namespace {

/// A coarse picture has every fourth pixel each way.
constexpr int coarseStep = 4;
/// Bytes of pictures that are kept for playback.
constexpr size_t mostKept = size_t(3) << 29;

std::shared_ptr<const DisplayPicture> shown(const Picture& p, PictureEncoding encoding) {
    auto out = std::make_shared<DisplayPicture>(p.width, p.height);
    parallelRanges(p.height, 32, [&](int begin, int end) {
        for (int y = begin; y < end; ++y)
            for (int x = 0; x < p.width; ++x) {
                const float* c = p.at(x, y);
                uint32_t word = 0xff;
                for (int k = 0; k < 3; ++k)
                    word =
                        word << 8 | uint32_t(std::lround(255 * std::clamp(displayValue(c[k], encoding), 0.0F, 1.0F)));
                out->at(x, y) = word;
            }
    });
    return out;
}

Picture everyFourth(const Picture& p) {
    const ProofFrame f = frameOfPlate(p.width, p.height, coarseStep);
    Picture out(f.width, f.height);
    for (int y = 0; y < f.height; ++y)
        for (int x = 0; x < f.width; ++x)
            std::copy_n(p.at(std::min(x * coarseStep + coarseStep / 2, p.width - 1),
                             std::min(y * coarseStep + coarseStep / 2, p.height - 1)),
                        4, out.at(x, y));
    return out;
}

Plane<float> everyFourth(const Plane<float>& p) {
    const ProofFrame f = frameOfPlate(p.width, p.height, coarseStep);
    Plane<float> out(f.width, f.height);
    for (int y = 0; y < f.height; ++y)
        for (int x = 0; x < f.width; ++x)
            out.at(x, y) = p.at(std::min(x * coarseStep + coarseStep / 2, p.width - 1),
                                std::min(y * coarseStep + coarseStep / 2, p.height - 1));
    return out;
}

}  // namespace

/// What is opened and measured once. Used by one piece of work at a time.
struct ProofLive::Worker {
    std::string spec;
    std::unique_ptr<PlateSource> plate;
    ProofStage stage;
    std::optional<PlateTraits> traits;
    int held = 1 << 30;
    Picture stored;

    void open(const Shot& shot) {
        if (plate && spec == shot.plateSpec) return;
        plate = openPlate(shot.plateSpec, shot.overrides);
        spec = shot.plateSpec;
        traits.reset();
        held = 1 << 30;
    }
    const Picture& pictureOf(int frame) {
        if (held != frame) stored = plate->colours(frame), held = frame;
        return stored;
    }
};

/// Pictures by frame, written by the work and read by the window.
struct ProofLive::Results {
    mutable std::mutex mutex;
    std::map<int, Shown> pictures;
    size_t bytes = 0;

    void put(int frame, Shown shown, bool keep) {
        const std::lock_guard lock(mutex);
        if (!keep) {
            // Only the frame in hand is kept, besides those that are whole.
            std::erase_if(pictures, [&](const auto& entry) { return entry.first != frame && !whole(entry.second); });
        }
        pictures[frame] = std::move(shown);
        bytes = 0;
        for (const auto& [f, s] : pictures) bytes += s.picture->data.size() * 4;
        while (bytes > mostKept && pictures.size() > 1) {
            auto far = pictures.begin();
            if (std::abs(std::prev(pictures.end())->first - frame) > std::abs(far->first - frame))
                far = std::prev(pictures.end());
            bytes -= far->second.picture->data.size() * 4;
            pictures.erase(far);
        }
    }
    int samples = 16;
    [[nodiscard]] bool whole(const Shown& s) const { return s.samples >= samples; }
    [[nodiscard]] Shown of(int frame) const {
        const std::lock_guard lock(mutex);
        const auto at = pictures.find(frame);
        return at == pictures.end() ? Shown() : at->second;
    }
};

ProofLive::ProofLive(Document& document, QObject* parent)
    : QObject(parent), document_(document), worker_(std::make_shared<Worker>()), results_(std::make_shared<Results>()) {
    wait_.setSingleShot(true);
    connect(&wait_, &QTimer::timeout, this, &ProofLive::start);
    connect(&document_, &Document::shotChanged, this, &ProofLive::restart);
    connect(&document_, &Document::frameChanged, this, &ProofLive::restart);
    connect(&background_, &Background::progressed, this, [this] {
        if (firstMs_ < 0 && of(rendering_).picture) firstMs_ = int(since_.elapsed());
        Q_EMIT changed();
    });
}

ProofLive::~ProofLive() = default;

void ProofLive::setLook(Look look) {
    look_ = look;
    Q_EMIT changed();
}

void ProofLive::setWipe(double share) {
    wipe_ = std::clamp(share, 0.0, 1.0);
    Q_EMIT changed();
}

void ProofLive::setOn(bool on) {
    if (on == on_) return;
    on_ = on;
    if (!on) background_.cancel();
    restart();
}

ProofLive::Shown ProofLive::of(int frame) const { return results_->of(frame); }

bool ProofLive::finished() const { return results_->whole(of(document_.frame())); }

std::map<int, std::shared_ptr<const DisplayPicture>> ProofLive::kept() const {
    const std::lock_guard lock(results_->mutex);
    std::map<int, std::shared_ptr<const DisplayPicture>> out;
    for (const auto& [frame, shown] : results_->pictures)
        if (results_->whole(shown)) out[frame] = shown.picture;
    return out;
}

int ProofLive::framesKept() const {
    const std::lock_guard lock(results_->mutex);
    return int(std::count_if(results_->pictures.begin(), results_->pictures.end(),
                             [this](const auto& entry) { return results_->whole(entry.second); }));
}

QString ProofLive::words() const {
    if (!trouble_.isEmpty()) return trouble_;
    const Shown s = of(document_.frame());
    if (renderingRange()) return tr("%1 frames in memory …").arg(framesKept());
    if (!s.picture) return on_ ? tr("Rendering …") : QString();
    if (s.samples == 0) return tr("Coarse; refining …");
    return finished() ? tr("%1 samples a pixel").arg(s.samples)
                      : tr("%1 of %2 samples …").arg(s.samples).arg(results_->samples);
}

/// The shot or the frame is another one: what runs is of no use any more.
void ProofLive::restart() {
    if (revision_ != document_.revision()) {
        revision_ = document_.revision();
        results_ = std::make_shared<Results>();
        results_->samples = document_.shot().proof.samples;
        // A range goes on with a shot that was solved anew; whoever turns the light looks at one frame.
        if (!(document_.shot().proof == spec_)) range_ = false;
        spec_ = document_.shot().proof;
    } else if (range_) {
        return Q_EMIT changed();  // a look at another frame does not end the range
    }
    since_.start();
    firstMs_ = -1;
    if (background_.running()) {
        again_ = true;
        background_.cancel();
    } else wait_.start(0);
    Q_EMIT changed();
}

void ProofLive::start() {
    if (!on_ || background_.running()) return;
    if (range_) return renderFrames(framesWanted());
    trouble_ = QString::fromStdString(proofTrouble(document_.shot()));
    if (trouble_.isEmpty() && !document_.shot().cameraAt(document_.frame()))
        trouble_ = tr("Frame %1 has no camera: it was not solved.").arg(document_.frame());
    if (!trouble_.isEmpty() || finished()) return Q_EMIT changed();
    renderFrames({document_.frame()});
}

void ProofLive::renderRange() {
    if (range_) return;
    on_ = true;
    range_ = true;
    if (background_.running()) {
        again_ = true;
        background_.cancel();
    } else renderFrames(framesWanted());
    Q_EMIT changed();
}

void ProofLive::stopRange() {
    range_ = false;
    background_.cancel();
    Q_EMIT changed();
}

std::vector<int> ProofLive::framesWanted() const {
    if (!range_) return {document_.frame()};
    std::vector<int> out;
    for (const int f : document_.shot().frames())
        if (document_.shot().cameraAt(f) && !results_->whole(of(f))) out.push_back(f);
    return out;
}

void ProofLive::renderFrames(const std::vector<int>& frames) {
    rendering_ = frames.empty() ? 0 : frames.front();
    background_.start(
        [shot = document_.shot(), frames, worker = worker_, results = results_, range = range_](Progress& progress) {
            progress.stage("Proof", int(frames.size()) * 8, 1);
            worker->open(shot);
            ProofFronts fronts(shot);
            for (const int frame : frames) {
                progress.check();
                const Picture& stored = worker->pictureOf(frame);
                const Plane<float> front = fronts.empty() ? Plane<float>() : fronts.of(frame, stored);
                const PictureEncoding encoding = shot.plate.encoding;
                const auto post = [&](const ProofRender& render, bool coarse) {
                    const PlateTraits traits = worker->traits.value_or(PlateTraits());
                    const Plane<float> small = coarse && !front.empty() ? everyFourth(front) : Plane<float>();
                    ComposeOptions options = composeOptionsOf(shot, frame, traits,
                                                              front.empty() ? nullptr
                                                              : coarse      ? &small
                                                                            : &front);
                    if (coarse) options.step = coarseStep;
                    const Picture picture =
                        composed(coarse ? everyFourth(stored) : stored, encoding, render.layers(), options);
                    results->put(frame, {shown(picture, encoding), coarse ? 0 : render.layers().samples}, range);
                    progress.advance();
                };
                ProofRequest request;
                request.frame = frame;
                if (!range) {
                    request.area = frameOfPlate(shot.plate.width, shot.plate.height, coarseStep);
                    request.shutter = false;
                    request.bounces = 0;
                    const auto render = worker->stage.render(shot, request, &stored, {});
                    render->add(1, &progress);
                    post(*render, true);
                }
                if (!worker->traits) worker->traits = plateTraits(shot, frame, worker->plate->luma(frame), stored);
                request.area = frameOfPlate(shot.plate.width, shot.plate.height);
                request.shutter = true;
                request.bounces = 1;
                const auto render = worker->stage.render(shot, request, &stored, *worker->traits);
                for (int done = 0; done < shot.proof.samples;) {
                    progress.check();
                    const int more =
                        range ? shot.proof.samples : std::max(1, std::min(done, shot.proof.samples - done));
                    render->add(more, &progress);
                    done += more;
                    post(*render, false);
                }
            }
        },
        [this](Background::End end, const QString& sentence) {
            if (end == Background::End::failed) trouble_ = sentence;
            const bool more = again_;
            again_ = false;
            // What ended then was not the range yet.
            if (end == Background::End::done && range_ && !more) range_ = false;
            if (more && range_) renderFrames(framesWanted());
            else if (more || end == Background::End::cancelled) wait_.start(0);
            Q_EMIT changed();
        });
}

}  // namespace va
