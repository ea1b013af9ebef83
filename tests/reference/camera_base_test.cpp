// SPDX-License-Identifier: GPL-3.0-or-later
// The camera and lens data base of the Lensfun project (package liblensfun-data-v1, CC BY-SA 3.0) against its own
// library and its own files.
#include <gtest/gtest.h>
#include <lensfun/lensfun.h>

#include <cmath>
#include <exiv2/exiv2.hpp>
#include <filesystem>
#include <fstream>
#include <regex>

#include "lens/convert_lens.h"
#include "media/camera_base.h"
#include "media/camera_metadata.h"
#include "media/picture_file.h"
#include "workflow/lens_work.h"
#include "workflow/match_shot.h"

namespace va {
namespace {

/// Every twentieth camera of the base: more than ten, of many makers, and not chosen by anybody.
std::vector<CameraEntry> someCameras(const CameraBase& base) {
    std::vector<CameraEntry> out;
    const auto all = base.all();
    for (size_t i = 7; i < all.size(); i += 40) out.push_back(all[i]);
    return out;
}

TEST(CameraBase, CropFactorsAreThoseOfTheBasesOwnQuery) {
    const CameraBase base;
    ASSERT_GT(base.all().size(), 500u);
    lfDatabase* own = lf_db_new();
    ASSERT_EQ(lf_db_load(own), LF_NO_ERROR);
    int compared = 0;
    for (const CameraEntry& c : someCameras(base)) {
        const auto ours = base.camera(c.maker, c.model);
        const lfCamera** theirs = lf_db_find_cameras(own, c.maker.c_str(), c.model.c_str());
        ASSERT_TRUE(theirs && *theirs) << c.model;
        ASSERT_TRUE(ours) << c.model;
        EXPECT_DOUBLE_EQ(ours->cropFactor, double((*theirs)->CropFactor)) << c.model;
        lf_free(theirs);
        ++compared;
    }
    EXPECT_GE(compared, 10);
    lf_db_destroy(own);
}

TEST(CameraBase, CropFactorsAreThoseOfTheFiles) {
    // The files themselves, read without the library: <camera> with one <cropfactor>.
    std::string text;
    for (const auto& f : std::filesystem::directory_iterator("/usr/share/lensfun/version_1"))
        if (f.path().extension() == ".xml") {
            std::ifstream in(f.path());
            text.append(std::istreambuf_iterator<char>(in), {});
        }
    ASSERT_FALSE(text.empty());
    const CameraBase base;
    int compared = 0;
    for (const CameraEntry& c : someCameras(base)) {
        // Lenses have models of that name as well: the one inside of a <camera> is meant.
        size_t at = text.find("<model>" + c.model + "</model>");
        while (at != std::string::npos && text.rfind("<camera>", at) < text.rfind("</camera>", at))
            at = text.find("<model>" + c.model + "</model>", at + 1);
        if (at == std::string::npos) continue;
        const size_t crop = text.find("<cropfactor>", at), end = text.find("</camera>", at);
        if (crop == std::string::npos || crop > end) continue;
        EXPECT_NEAR(base.camera(c.maker, c.model)->cropFactor, std::atof(text.c_str() + crop + 12), 1e-4) << c.model;
        ++compared;
    }
    EXPECT_GE(compared, 10);
}

TEST(CameraBase, UnknownCamerasAreNotGuessed) {
    const CameraBase base;
    EXPECT_FALSE(base.camera("Tidal Optics", "Anchor 35"));
    EXPECT_FALSE(base.camera("", ""));
    EXPECT_TRUE(base.cameras("", "no such thing at all").empty());
    EXPECT_FALSE(base.profile("no such lens", 35));
}

/// Our Brown–Conrady of a polynomial against where the library itself takes the pixels from.
TEST(CameraBase, LensesDistortionAsTheLibraryDistortsThem) {
    const CameraBase base;
    lfDatabase* own = lf_db_new();
    ASSERT_EQ(lf_db_load(own), LF_NO_ERROR);
    int forms[3] = {};
    constexpr int width = 3000, height = 2000;
    for (const lfLens* const* l = lf_db_get_lenses(own); l && *l; ++l) {
        const lfLens& lens = **l;
        if (lens.Type != LF_RECTILINEAR || !lens.CalibDistortion) continue;
        const lfLensCalibDistortion& c = **lens.CalibDistortion;
        const int form = c.Model == LF_DIST_MODEL_POLY3    ? 0
                         : c.Model == LF_DIST_MODEL_POLY5  ? 1
                         : c.Model == LF_DIST_MODEL_PTLENS ? 2
                                                           : -1;
        if (form < 0 || forms[form] >= 6 || !(c.Focal > 0)) continue;
        // The library's answer, on the sensor that the lens was measured on, for an undistorted picture of 3:2.
        lfModifier* m = lf_modifier_new(&lens, lens.CropFactor, width, height);
        lf_modifier_initialize(m, &lens, LF_PF_U8, c.Focal, 8, 1000, 1, LF_RECTILINEAR, LF_MODIFY_DISTORTION, 0);
        RadialPolynomial p;
        p.form = RadialForm(form);
        for (size_t i = 0; i < 3; ++i) p.terms[i] = double(c.Terms[i]);
        const double half =
            0.5 * std::hypot(36.0, 24.0) / double(lens.CropFactor) / std::hypot(double(lens.AspectRatio), 1.0);
        p.unit = half / double(c.Focal);
        Intrinsics camera;
        // px of the focal length: the sensor's diagonal is the picture's.
        camera.focalPx = double(c.Focal) * std::hypot(width - 1.0, height - 1.0) /
                         (std::hypot(36.0, 24.0) / double(lens.CropFactor));
        camera.principalPoint = {(width - 1) / 2.0, (height - 1) / 2.0};
        const ConvertedLens ours = lensFromPolynomial(p, camera, width, height);
        double worst = 0;
        for (int j = 0; j <= 8; ++j)
            for (int i = 0; i <= 12; ++i) {
                const float x = float(i) * (width - 1) / 12, y = float(j) * (height - 1) / 8;
                float source[2];
                if (!lf_modifier_apply_geometry_distortion(m, x, y, 1, 1, source)) continue;
                const Eigen::Vector2d undistorted((double(x) - camera.principalPoint.x()) / camera.focalPx,
                                                  (double(y) - camera.principalPoint.y()) / camera.focalPx);
                const Eigen::Vector2d distorted = ours.lens.pixelFromNormalised(undistorted);
                if (distorted.x() < 0 || distorted.y() < 0 || distorted.x() > width - 1 || distorted.y() > height - 1)
                    continue;
                worst = std::max(worst, (distorted - Eigen::Vector2d(double(source[0]), double(source[1]))).norm());
            }
        // The fit of the odd powers says itself how good it is.
        EXPECT_LT(worst, ours.largestPx * 1.1 + 0.05) << lf_mlstr_get(lens.Model) << " form " << form;
        EXPECT_LT(ours.largestPx, 1.5) << lf_mlstr_get(lens.Model);
        ++forms[form];
        lf_modifier_destroy(m);
    }
    EXPECT_GE(forms[0], 3);
    EXPECT_GE(forms[2], 3);
    lf_db_destroy(own);
}

TEST(CameraBase, ProfilesHoldAtTheirOwnFocalLengths) {
    const CameraBase base;
    lfDatabase* own = lf_db_new();
    ASSERT_EQ(lf_db_load(own), LF_NO_ERROR);
    int compared = 0;
    for (const lfLens* const* l = lf_db_get_lenses(own); l && *l && compared < 10; ++l) {
        if ((*l)->Type != LF_RECTILINEAR || !(*l)->CalibDistortion) continue;
        const lfLensCalibDistortion& c = **(*l)->CalibDistortion;
        const std::string maker = (*l)->Maker, model = (*l)->Model;
        const auto p = base.profile(model.starts_with(maker) ? model : maker + " " + model, double(c.Focal));
        if (!p || c.Model != LF_DIST_MODEL_PTLENS) continue;
        // Of lenses that stand there twice, the larger sensor's is taken.
        if (std::fabs(p->terms[0] - double(c.Terms[0])) > 1e-6) continue;
        EXPECT_FLOAT_EQ(float(p->terms[1]), c.Terms[1]);
        EXPECT_FLOAT_EQ(float(p->terms[2]), c.Terms[2]);
        ++compared;
    }
    EXPECT_EQ(compared, 10);
    lf_db_destroy(own);
}

// ---- what photos say of their camera, written by exiv2 itself ---------------------------------------------------

std::string photoWith(const std::string& name, const std::vector<std::pair<std::string, std::string>>& tags) {
    const std::string file = std::string(VA_BINARY_DIR) + "/" + name;
    Picture grey(300, 200);
    for (size_t i = 0; i < grey.data.size(); ++i) grey.data[i] = i % 4 == 3 ? 1.0f : 0.4f;
    writePicture(file, grey, {});
    const auto image = Exiv2::ImageFactory::open(file);
    image->readMetadata();
    Exiv2::ExifData exif = image->exifData();
    for (const auto& [key, value] : tags) {
        auto v = Exiv2::Value::create(Exiv2::ExifKey(key).defaultTypeId());
        v->read(value);
        exif.add(Exiv2::ExifKey(key), v.get());
    }
    image->setExifData(exif);
    image->writeMetadata();
    return file;
}

TEST(CameraMetadata, TagsAreReadAndJoinedWithTheBase) {
    const CameraBase base;
    const CameraEntry known = base.all()[27];
    const std::string file = photoWith("photo-known.jpg", {{"Exif.Image.Make", known.maker},
                                                           {"Exif.Image.Model", known.model},
                                                           {"Exif.Photo.FocalLength", "350/10"},
                                                           {"Exif.Photo.LensModel", "35mm f/2"}});
    const CameraMetadata m = readCameraMetadata(file);
    EXPECT_EQ(m.maker, known.maker);
    EXPECT_EQ(m.model, known.model);
    EXPECT_EQ(m.lens, "35mm f/2");
    ASSERT_TRUE(m.focalMm);
    EXPECT_DOUBLE_EQ(*m.focalMm, 35);
    const auto still = openStill(file);
    const BackFacts facts = backFactsOf(still->info(), base);
    ASSERT_TRUE(facts.sensorWidthMm);
    // A photo of 3:2: crop factor times width is that of full frame (ISO 1007).
    EXPECT_NEAR(*facts.sensorWidthMm * known.cropFactor, 36, 0.02);
    EXPECT_TRUE(facts.trouble.empty());
    const Shot shot = withBackFacts(withPlate(Shot(), file), facts);
    EXPECT_EQ(shot.priors.focal, Known::start);
    EXPECT_FALSE(shot.priors.sensorAssumed);
}

TEST(CameraMetadata, EquivalentFocalLengthGivesTheSensor) {
    // Common practice: a crop-sensor camera (factor about 1.6) with a 17 mm lens sees what a 27 mm lens does on full
    // frame.
    const std::string file = photoWith(
        "photo-equivalent.jpg", {{"Exif.Photo.FocalLength", "17/1"}, {"Exif.Photo.FocalLengthIn35mmFilm", "27"}});
    const BackFacts facts = backFactsOf(openStill(file)->info(), CameraBase());
    ASSERT_TRUE(facts.sensorWidthMm);
    EXPECT_NEAR(*facts.sensorWidthMm, 36 / 1.6, 0.5);
}

TEST(CameraMetadata, ContradictionsAreSaid) {
    // Focal plane: 3000 px over 36 mm; but 35 mm at an equivalent of 70 mm means a sensor half as wide.
    const std::string file = photoWith("photo-contradiction.jpg", {{"Exif.Photo.FocalLength", "35/1"},
                                                                   {"Exif.Photo.FocalLengthIn35mmFilm", "70"},
                                                                   {"Exif.Photo.PixelXDimension", "3600"},
                                                                   {"Exif.Photo.FocalPlaneXResolution", "1000/1"},
                                                                   {"Exif.Photo.FocalPlaneResolutionUnit", "3"}});
    const BackFacts facts = backFactsOf(openStill(file)->info(), CameraBase());
    ASSERT_TRUE(facts.sensorWidthMm);
    EXPECT_NEAR(*facts.sensorWidthMm, 36, 1e-6) << "3600 px at 1000 px a cm";
    ASSERT_EQ(facts.trouble.size(), 1u);
    EXPECT_NE(facts.trouble.front().find("contradicts itself"), std::string::npos);
}

TEST(CameraMetadata, AbsurdValuesAreNamedAndNotUsed) {
    const std::string file = photoWith(
        "photo-absurd.jpg", {{"Exif.Photo.FocalLength", "9000/1"}, {"Exif.Photo.FocalLengthIn35mmFilm", "2"}});
    const BackFacts facts = backFactsOf(openStill(file)->info(), CameraBase());
    EXPECT_FALSE(facts.focalMm);
    EXPECT_FALSE(facts.sensorWidthMm);
    EXPECT_EQ(facts.trouble.size(), 2u);
    // No metadata at all is no error.
    EXPECT_FALSE(readCameraMetadata("/nowhere.jpg").focalMm);
}

}  // namespace
}  // namespace va
