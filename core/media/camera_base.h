// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace va {

/// A camera of the open data base.
struct CameraEntry {
    std::string maker, model;
    double cropFactor = 1;  ///< diagonal of 36 × 24 mm over that of the sensor
};

/// How a lens distorts at one focal length, as the data base measured it: a radial polynomial (lens/convert_lens.h).
struct LensProfile {
    std::string lens;
    enum class Form { poly3, poly5, ptlens } form = Form::poly3;
    std::array<double, 3> terms{};
    double focalMm = 0;
    double unitMm = 0;  ///< radius 1: half the shorter side of the sensor that the lens was measured on
};

/// The open data base of cameras and lenses of the Lensfun project, as installed on the machine. One instance is used
/// by one thread at a time. Missing files make it empty: nothing is found.
class CameraBase {
  public:
    CameraBase();
    ~CameraBase();
    CameraBase(const CameraBase&) = delete;
    CameraBase& operator=(const CameraBase&) = delete;

    /// Every camera, as the data base lists them.
    [[nodiscard]] std::vector<CameraEntry> all() const;
    /// Cameras whose maker and model contain the words, best match first. An empty maker stands for any.
    [[nodiscard]] std::vector<CameraEntry> cameras(const std::string& maker, const std::string& model) const;
    /// The one camera of that name as cameras write it into their files, or nothing.
    [[nodiscard]] std::optional<CameraEntry> camera(const std::string& maker, const std::string& model) const;
    /// Lenses with these words that fit the camera (any lens where the camera is empty), by name.
    [[nodiscard]] std::vector<std::string> lenses(const CameraEntry& camera, const std::string& words) const;
    /// How a lens distorts at a focal length, between its measured ones; nothing where the data base does not say.
    [[nodiscard]] std::optional<LensProfile> profile(const std::string& lens, double focalMm) const;

  private:
    struct Held;
    std::unique_ptr<Held> held_;
};

}  // namespace va
