// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/proof_run.h"

#include <algorithm>
#include <cmath>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/text.h"
#include "media/colour_space.h"
#include "media/display_transform.h"
#include "media/movie_writer.h"
#include "media/picture_file.h"
#include "shot/shot_file.h"
#include "workflow/place_things.h"
#include "workflow/proof_work.h"

namespace va {
namespace {

namespace fs = std::filesystem;

/// What passes are made from.
struct Rendered {
    const Shot& shot;
    int frame;
    const ProofLayers& layers;
    const RayScene& scene;
};
struct Pass {
    const char* word;
    void (*add)(const Rendered& r, std::vector<NamedChannel>& to);
};

NamedChannel channel(const char* name, size_t n) { return {name, std::vector<float>(n)}; }

void addShadow(const Rendered& r, std::vector<NamedChannel>& to) {
    const size_t n = r.layers.count();
    std::vector<NamedChannel> c{channel("shadow.R", n), channel("shadow.G", n), channel("shadow.B", n)};
    std::optional<Eigen::Vector3f> ambient;
    if (r.shot.proof.shadow) ambient = r.shot.proof.shadow->left.cast<float>();
    for (size_t i = 0; i < n; ++i) {
        const Eigen::Vector3f left = r.layers.shade(i, ambient);
        const float covered = r.layers.caught[i] / float(r.layers.samples);
        for (int k = 0; k < 3; ++k) c[size_t(k)].values[i] = 1 - covered * (1 - left[k]);
    }
    to.insert(to.end(), c.begin(), c.end());
}
void addReflection(const Rendered& r, std::vector<NamedChannel>& to) {
    const size_t n = r.layers.count();
    const char* names[] = {"reflection.R", "reflection.G", "reflection.B", "reflection.A"};
    for (int k = 0; k < 4; ++k) {
        NamedChannel c = channel(names[k], n);
        for (size_t i = 0; i < n; ++i) c.values[i] = r.layers.mirrored[i][k] / float(r.layers.samples);
        to.push_back(std::move(c));
    }
}
void addOcclusion(const Rendered& r, std::vector<NamedChannel>& to) {
    NamedChannel c = channel("occlusion.Y", r.layers.count());
    for (size_t i = 0; i < c.values.size(); ++i) c.values[i] = r.layers.open[i] / float(r.layers.samples);
    to.push_back(std::move(c));
}
void addDepth(const Rendered& r, std::vector<NamedChannel>& to) { to.push_back({"depth.Z", r.layers.depth}); }
void addPosition(const Rendered& r, std::vector<NamedChannel>& to) {
    const char* names[] = {"position.X", "position.Y", "position.Z"};
    for (int k = 0; k < 3; ++k) {
        NamedChannel c = channel(names[k], r.layers.count());
        for (size_t i = 0; i < c.values.size(); ++i)
            if (r.layers.item[i] >= 0) c.values[i] = float(double(r.layers.position[i][k]) + r.scene.origin()[k]);
        to.push_back(std::move(c));
    }
}
/// Px from this frame to the next one.
void addMotion(const Rendered& r, std::vector<NamedChannel>& to) {
    NamedChannel u = channel("motion.U", r.layers.count()), v = channel("motion.V", r.layers.count());
    const auto now = r.shot.cameraAt(r.frame), next = r.shot.cameraAt(r.frame + 1);
    const PlacedThings placed(r.shot, r.frame), then(r.shot, r.frame + 1);
    std::vector<std::optional<Similarity>> moves;
    for (const ProofItem& i : r.scene.items()) {
        const Thing* t = r.shot.thing(i.id);
        const auto a = t ? placed.of(*t) : std::nullopt, b = t ? then.of(*t) : std::nullopt;
        moves.push_back(a && b ? std::optional(b->after(a->inverse())) : std::nullopt);
    }
    for (size_t i = 0; now && next && i < r.layers.count(); ++i) {
        if (r.layers.item[i] < 0) continue;
        const Eigen::Vector3d p = r.scene.origin() + r.layers.position[i].cast<double>();
        const auto& move = moves[size_t(r.layers.item[i])];
        const auto a = now->project(p), b = next->project(move ? move->point(p) : p);
        if (a && b) u.values[i] = float(b->x() - a->x()), v.values[i] = float(b->y() - a->y());
    }
    to.push_back(std::move(u));
    to.push_back(std::move(v));
}
void addMasks(const Rendered& r, std::vector<NamedChannel>& to) {
    for (size_t k = 0; k < r.layers.covered.size(); ++k) {
        if (r.layers.covered[k].empty()) continue;
        const Thing* t = r.shot.thing(r.scene.items()[k].id);
        std::string name = "mask";
        name += '.';
        for (const char c : t ? t->name : std::string("thing"))
            name += std::isalnum(static_cast<unsigned char>(c)) ? c : '_';
        NamedChannel c{name, r.layers.covered[k]};
        for (float& v : c.values) v /= float(r.layers.samples);
        to.push_back(std::move(c));
    }
}

/// All passes. A new one is a function and a line here.
constexpr Pass passes[] = {{"shadow", addShadow}, {"reflection", addReflection}, {"occlusion", addOcclusion},
                           {"depth", addDepth},   {"position", addPosition},     {"motion", addMotion},
                           {"masks", addMasks}};

/// What a still depends on: equal texts give equal stills.
std::string dependsOn(const Shot& shot, const ProofOutput& o, int samples) {
    std::string out = shotToText(shot, "/") + text("|%s|%s|%d|%d|%d|%.9g", o.ending.c_str(), o.colour.c_str(), o.bits,
                                                   samples, int(o.insertOnly), o.overscan);
    for (const std::string& p : o.passes) out += "|" + p;
    return formatted("%zx", std::hash<std::string>()(out));
}

void check(const Shot& shot, const ProofOutput& o, bool movie) {
    if (const std::string trouble = proofTrouble(shot); !trouble.empty()) throw InputError(trouble);
    if (o.range.first > o.range.last || o.range.first < shot.plate.frames.first ||
        o.range.last > shot.plate.frames.last)
        throw InputError(text("The range %d–%d does not lie within the plate's frames %d–%d.", o.range.first,
                              o.range.last, shot.plate.frames.first, shot.plate.frames.last));
    const std::string ending = movie ? "png" : o.ending;
    if (ending != "png" && ending != "exr")
        throw InputError(text("Stills of a proof are png or exr, not \"%s\".", o.ending.c_str()));
    if (!movie && o.bits != 16 && o.bits != (ending == "png" ? 8 : 32))
        throw InputError(ending == "png" ? text("PNG has 8 or 16 bits, not %d.", o.bits)
                                         : text("EXR has 16 (half) or 32 bits, not %d.", o.bits));
    if (!o.passes.empty() && (movie || ending != "exr"))
        throw InputError(text("Passes need OpenEXR: PNG and movies hold one picture."));
    if (!o.colour.empty() && (movie || ending != "exr"))
        throw InputError(
            text("Only OpenEXR is written in %s: PNG and movies hold the plate's own values.", o.colour.c_str()));
    if (!o.colour.empty() && !lightSpace(o.colour))
        throw InputError(text("There is no colour space \"%s\".", o.colour.c_str()));
    if (o.insertOnly && movie) throw InputError(text("A movie has no alpha. Write the insert alone as exr or png."));
    if (o.overscan > 0 && (!o.insertOnly || ending != "exr"))
        throw InputError(text("Overscan has no plate: write the insert alone, as exr."));
    for (const std::string& word : o.passes)
        if (std::none_of(std::begin(passes), std::end(passes), [&](const Pass& p) { return word == p.word; }))
            throw InputError(text("There is no pass \"%s\".", word.c_str()));
}

/// One frame's still.
class FrameWriter {
  public:
    FrameWriter(const Shot& shot, const ProofOutput& output, int samples)
        : shot_(shot), o_(output), samples_(samples), fronts_(shot) {
        plate_ = openPlate(shot.plateSpec, shot.overrides);
        left_ = int(std::ceil(o_.overscan * shot.plate.width)), top_ = int(std::ceil(o_.overscan * shot.plate.height));
    }
    /// False where the frame has no camera: the plate itself is written then, or nothing where only the insert is.
    bool write(int frame, const fs::path& file, const Progress& progress) {
        const Picture stored = plate_->colours(frame);
        if (!shot_.cameraAt(frame)) {
            if (!o_.insertOnly) writePicture(file, stored, {o_.bits, false, shot_.pixelAspect()});
            return false;
        }
        if (!traits_) traits_ = plateTraits(shot_, frame, plate_->luma(frame), stored);
        ProofRequest request;
        request.frame = frame;
        request.area = frameOfPlate(shot_.plate.width + 2 * left_, shot_.plate.height + 2 * top_);
        request.area.left = -left_, request.area.top = -top_;
        request.passes = !o_.passes.empty();
        const auto render = stage_.render(shot_, request, &stored, *traits_);
        render->add(samples_, &progress);
        const Plane<float> front = fronts_.empty() ? Plane<float>() : fronts_.of(frame, stored);
        ComposeOptions options = composeOptionsOf(shot_, frame, *traits_, fronts_.empty() ? nullptr : &front);
        options.left = left_, options.top = top_;
        if (o_.ending == "exr") writeExr(file, stored, render->layers(), render->scene(), options, frame);
        else {
            const Picture out = o_.insertOnly ? displayed(insertOf(render->layers(), options))
                                              : composed(stored, shot_.plate.encoding, render->layers(), options);
            writePicture(file, out, {o_.bits, o_.insertOnly, shot_.pixelAspect()});
        }
        return true;
    }

    /// What the insert was matched to, in words; empty where no frame was rendered.
    [[nodiscard]] std::string matchedTo() const {
        if (!traits_) return {};
        const ProofLook& look = shot_.proof.look;
        std::string out;
        if (look.blur < 0)
            out += traits_->blur.sigma >= 0
                       ? text(" Blur of the plate: %.2f px, at %d edges.", traits_->blur.sigma, traits_->blur.edges)
                       : text(" The plate shows too few straight edges for its blur: none was added. Give one.");
        if (const int black = stage_.skyRepaired(); black > 0)
            out += text(" The sky picture holds %d values that are no light: they count as black.", black);
        if (o_.insertOnly && std::any_of(shot_.proof.roles.begin(), shot_.proof.roles.end(),
                                         [](const ProofRole& r) { return r.part == ProofPart::pane; }))
            out += text(" A pane shifts the plate: only a proof over the plate shows that.");
        if (look.grain > 0 && traits_->grain.tiles == 0)
            out += text(" No part of the plate is flat enough for its grain: none was added.");
        return out;
    }

  private:
    /// PNG holds display values; those of alpha are linear.
    static Picture displayed(Picture p) {
        for (size_t i = 0; i < p.data.size(); i += 4) {
            const float a = p.data[i + 3];
            for (size_t c = 0; c < 3; ++c)
                p.data[i + c] = a > 0 ? a * std::min(1.0F, storedOf(p.data[i + c] / a, PictureEncoding::display)) : 0;
        }
        return p;
    }
    void writeExr(const fs::path& file, const Picture& stored, const ProofLayers& layers, const RayScene& scene,
                  const ComposeOptions& options, int frame) const {
        Picture picture =
            o_.insertOnly ? insertOf(layers, options) : composed(stored, shot_.plate.encoding, layers, options);
        const LightSpace* space = lightSpace(o_.colour);
        if (space) {
            if (!o_.insertOnly)
                for (size_t i = 0; i < picture.data.size(); ++i)
                    if (i % 4 != 3) picture.data[i] = lightOf(picture.data[i], shot_.plate.encoding);
            toLightSpace(picture, *space);
        }
        const size_t n = layers.count();
        std::vector<NamedChannel> channels{channel("R", n), channel("G", n), channel("B", n)};
        if (o_.insertOnly) channels.push_back(channel("A", n));
        for (size_t c = 0; c < channels.size(); ++c)
            for (size_t i = 0; i < n; ++i) channels[c].values[i] = picture.data[4 * i + c];
        for (const Pass& p : passes)
            if (std::find(o_.passes.begin(), o_.passes.end(), p.word) != o_.passes.end())
                p.add({shot_, frame, layers, scene}, channels);
        writeChannels(file, layers.width, layers.height, channels, o_.bits, -left_, -top_, shot_.plate.width,
                      shot_.plate.height, space ? &space->chromaticities : nullptr);
    }
    const Shot& shot_;
    const ProofOutput& o_;
    int samples_, left_ = 0, top_ = 0;
    std::unique_ptr<PlateSource> plate_;
    std::optional<PlateTraits> traits_;
    ProofStage stage_;
    ProofFronts fronts_;
};

}  // namespace

std::vector<std::string> proofPassWords() {
    std::vector<std::string> out;
    for (const Pass& p : passes) out.emplace_back(p.word);
    return out;
}

ProofReport renderProof(const Shot& shot, const ProofOutput& given, Progress& progress) {
    ProofOutput o = given;
    const bool movie = isMovieName(o.to);
    check(shot, o, movie);
    if (movie) o.ending = "png", o.bits = 16;
    const int samples = o.samples > 0 ? o.samples : shot.proof.samples;
    const fs::path folder = movie ? fs::path(o.to.string() + ".frames") : o.to;
    std::error_code code;
    fs::create_directories(folder, code);
    if (!fs::is_directory(folder, code))
        throw InputError(text("The folder \"%s\" can't be made. Check its name, and that you may write there.",
                              folder.string().c_str()));
    // Stills of a run before count as long as they come from the same.
    const std::string from = dependsOn(shot, o, samples);
    const fs::path note = folder / "proof-from.txt";
    bool same = false;
    try {
        same = readFile(note) == from;
    } catch (const Error&) {  // none there yet
    }
    if (!same) writeFileAtomically(note, from);
    const std::string stem = shot.name.empty() ? "proof" : shot.name + "-proof";
    const auto still = [&](int frame) { return folder / (stem + "." + formatted("%04d", frame) + "." + o.ending); };
    ProofReport out;
    const int count = o.range.last - o.range.first + 1;
    progress.stage(text("Rendering the proof"), count, movie ? 0.95 : 1);
    FrameWriter writer(shot, o, samples);
    for (int frame = o.range.first; frame <= o.range.last; ++frame) {
        progress.check();
        if (same && fs::is_regular_file(still(frame), code)) {
            ++out.found;
        } else {
            try {
                if (writer.write(frame, still(frame), progress)) ++out.frames;
                else out.left.push_back(frame);
            } catch (const DamagedFrame&) {
                out.left.push_back(frame);
            }
        }
        progress.advance();
    }
    if (movie) {
        progress.stage(text("Writing the movie"), count, 0.05);
        MovieWriter file(o.to, shot.plate.width, shot.plate.height, shot.rate());
        Picture last(shot.plate.width, shot.plate.height);
        for (int frame = o.range.first; frame <= o.range.last; ++frame) {
            progress.check();
            // A frame that could not be read repeats the one before: numbers stay.
            if (fs::is_regular_file(still(frame), code)) last = readPicture(still(frame)).picture;
            file.write(last);
            progress.advance();
        }
        file.finish();
        fs::remove_all(folder, code);
    } else fs::remove(note, code);
    out.sentence = text("%d frames rendered", out.frames);
    if (out.found > 0) out.sentence += text(", %d were there from before", out.found);
    if (!out.left.empty()) out.sentence += text(", %zu without a camera or a whole picture", out.left.size());
    out.sentence += text(": %s.", o.to.filename().string().c_str()) + writer.matchedTo();
    return out;
}

}  // namespace va
