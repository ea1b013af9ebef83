// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <mutex>
#include <optional>

#include "media/plate_source.h"
#include "proof/compose.h"
#include "proof/measure.h"
#include "proof/render.h"
#include "proof/sun_from_posts.h"
#include "shot/shot.h"

namespace va {

/// What about the plate's pictures a proof goes by, measured once in one frame.
struct PlateTraits {
    BlurMeasure blur;
    GrainMeasure grain;
};
/// Measures blur around the things that the frame shows (else over the whole picture), and grain.
PlateTraits plateTraits(const Shot& shot, int frame, const Luma& luma, const Picture& stored);

/// How one frame is rendered.
struct ProofRequest {
    int frame = 0;
    ProofFrame area;  ///< of the plate; see frameOfPlate()
    bool passes = false;
    int bounces = 1;
    bool shutter = true;  ///< motion blur, where the shot wants it
};

/// Makes renders of a shot's frames. Keeps what frames share: shapes, pictures, the sky. One thread at a time.
class ProofStage {
  public:
    /// A render of a frame without samples yet. `plate`: the frame's stored values, which things reflect; may be null.
    /// Throws InputError: no camera in the frame, a world without depth, a sky picture that can't be used.
    std::unique_ptr<ProofRender> render(const Shot& shot, const ProofRequest& request, const Picture* plate,
                                        const PlateTraits& traits);

    /// Values of the sky picture in use that were no light and count as black.
    [[nodiscard]] int skyRepaired() const { return sky_ ? sky_->repaired() : 0; }

  private:
    DrawnShapes shapes_;
    std::string skyFile_;
    std::shared_ptr<const SkyPicture> sky_;
};

/// How that frame's insert is put onto its plate; `front` must live as long as it is used.
ComposeOptions composeOptionsOf(const Shot& shot, int frame, const PlateTraits& traits, const Plane<float>* front);

/// What lies before the things, frame by frame: shapes, files and the key.
class ProofFronts {
  public:
    /// Opens the matte file. Throws InputError where it can't be read or has another size than the plate.
    explicit ProofFronts(const Shot& shot);
    [[nodiscard]] bool empty() const { return masks_.empty() && !matte_ && !key_.on; }
    /// How much the plate lies before, 0..1, plate px. Throws InputError where the matte has no picture.
    [[nodiscard]] Plane<float> of(int frame, const Picture& stored);

  private:
    MaskSet masks_;
    Matte spec_;
    PlateKey key_;
    PlateInfo plate_;
    std::unique_ptr<PlateSource> matte_;
};

/// Share of a frame's time that the shutter is open for a proof.
double shutterOf(const Shot& shot);
/// The sun by the marked posts of the shot, in the frames that have a camera.
SunFit sunOf(const Shot& shot);
/// The shot with its sun as the posts say, or as place and time say. Throws InputError with what to mark or give.
Shot withSunFromPosts(const Shot& shot);
Shot withSunFromPlace(const Shot& shot);
/// The shot with the world's north such that place and time give the sun that it has.
Shot withNorthFromSun(const Shot& shot);
/// The shot with its sky turned until a spot of the picture (0..1 right and down) lies where a frame shows a pixel.
Shot withSkyTurned(const Shot& shot, const Eigen::Vector2d& spot, int frame, const Eigen::Vector2d& pixel);
/// The shot with its sky turned until the brightest spot of the picture stands above or below the sun. Throws
/// InputError: no sky picture.
Shot withSkyToSun(const Shot& shot);
/// The shot with the shadow's depth and tint as two spots of a frame show it.
Shot withShadowMeasured(const Shot& shot, int frame, const Picture& stored, const Eigen::Vector2d& lit,
                        const Eigen::Vector2d& shaded);
/// The shot with the sky's colour as a grey spot of a frame shows it that lies in shadow, its strength kept. Throws
/// InputError: a spot without light.
Shot withSkyColour(const Shot& shot, const Picture& stored, const Eigen::Vector2d& grey);
/// The shot with haze as two dark spots of a frame show it, one near and one far. Throws InputError: see hazeBetween();
/// a spot on nothing whose distance is known.
Shot withHazeMeasured(const Shot& shot, int frame, const Picture& stored, const Eigen::Vector2d& near,
                      const Eigen::Vector2d& far);
/// The light turned until it shines at a thing's middle; in a frame.
Thing aimedAt(const Shot& shot, const Thing& light, const Thing& target, int frame);

/// What stands in the way of a proof of a shot, as a sentence; empty when nothing does.
std::string proofTrouble(const Shot& shot);

}  // namespace va
