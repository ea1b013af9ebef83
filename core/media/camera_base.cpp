// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/camera_base.h"

#include <lensfun/lensfun.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace va {
namespace {

/// The name as cameras write it; translations stand behind it.
std::string said(const lfMLstr text) { return text ? text : ""; }

CameraEntry entryOf(const lfCamera& c) { return {said(c.Maker), said(c.Model), double(c.CropFactor)}; }

std::string lensName(const lfLens& l) {
    const std::string maker = said(l.Maker), model = said(l.Model);
    return maker.empty() || model.starts_with(maker) ? model : maker + " " + model;
}

}  // namespace

struct CameraBase::Held {
    lfDatabase* base = lf_db_new();
    ~Held() { lf_db_destroy(base); }
    Held() { lf_db_load(base); }
    Held(const Held&) = delete;
    Held& operator=(const Held&) = delete;
};

CameraBase::CameraBase() : held_(std::make_unique<Held>()) {}
CameraBase::~CameraBase() = default;

std::vector<CameraEntry> CameraBase::all() const {
    std::vector<CameraEntry> out;
    for (const lfCamera* const* c = lf_db_get_cameras(held_->base); c && *c; ++c)
        if ((*c)->CropFactor > 0) out.push_back(entryOf(**c));
    return out;
}

std::vector<CameraEntry> CameraBase::cameras(const std::string& maker, const std::string& model) const {
    std::vector<CameraEntry> out;
    const lfCamera** found = lf_db_find_cameras_ext(held_->base, maker.empty() ? nullptr : maker.c_str(),
                                                    model.empty() ? nullptr : model.c_str(), LF_SEARCH_LOOSE);
    for (const lfCamera** c = found; c && *c; ++c)
        if ((*c)->CropFactor > 0) out.push_back(entryOf(**c));
    lf_free(found);
    return out;
}

std::optional<CameraEntry> CameraBase::camera(const std::string& maker, const std::string& model) const {
    if (model.empty()) return std::nullopt;
    std::optional<CameraEntry> out;
    const lfCamera** found = lf_db_find_cameras(held_->base, maker.empty() ? nullptr : maker.c_str(), model.c_str());
    // Some entries have no crop factor.
    if (found && *found && (*found)->CropFactor > 0) out = entryOf(**found);
    lf_free(found);
    return out;
}

std::vector<std::string> CameraBase::lenses(const CameraEntry& camera, const std::string& words) const {
    std::set<std::string> names;
    if (camera.model.empty() && words.empty()) {
        for (const lfLens* const* l = lf_db_get_lenses(held_->base); l && *l; ++l) names.insert(lensName(**l));
        return {names.begin(), names.end()};
    }
    const lfCamera* body = nullptr;
    const lfCamera** bodies =
        camera.model.empty() ? nullptr : lf_db_find_cameras(held_->base, camera.maker.c_str(), camera.model.c_str());
    if (bodies) body = *bodies;
    const lfLens** found =
        lf_db_find_lenses_hd(held_->base, body, nullptr, words.empty() ? nullptr : words.c_str(), LF_SEARCH_LOOSE);
    for (const lfLens** l = found; l && *l; ++l) names.insert(lensName(**l));
    lf_free(found);
    lf_free(bodies);
    return {names.begin(), names.end()};
}

std::optional<LensProfile> CameraBase::profile(const std::string& lens, double focalMm) const {
    // The same lens may stand there once for every sensor that it was measured on: the largest sensor says most.
    const lfLens* best = nullptr;
    for (const lfLens* const* l = lf_db_get_lenses(held_->base); l && *l; ++l)
        if (lensName(**l) == lens && (*l)->CalibDistortion && (!best || (*l)->CropFactor < best->CropFactor)) best = *l;
    lfLensCalibDistortion found;
    if (!best || best->Type != LF_RECTILINEAR || !lf_lens_interpolate_distortion(best, float(focalMm), &found))
        return std::nullopt;
    LensProfile out;
    out.lens = lens;
    out.focalMm = focalMm;
    switch (found.Model) {
        case LF_DIST_MODEL_POLY3: out.form = LensProfile::Form::poly3; break;
        case LF_DIST_MODEL_POLY5: out.form = LensProfile::Form::poly5; break;
        case LF_DIST_MODEL_PTLENS: out.form = LensProfile::Form::ptlens; break;
        default: return std::nullopt;
    }
    for (size_t i = 0; i < 3; ++i) out.terms[i] = double(found.Terms[i]);
    const double diagonal = std::hypot(36.0, 24.0) / double(best->CropFactor);
    out.unitMm = 0.5 * diagonal / std::hypot(double(best->AspectRatio), 1.0);
    return out;
}

}  // namespace va
