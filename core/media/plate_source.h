// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/frame_range.h"
#include "base/picture.h"
#include "base/plane.h"
#include "base/rational.h"

namespace va {

/// How the numbers in the files relate to light.
enum class PictureEncoding { display, linear, log };

/// What a plate says of itself. Sizes are of the upright picture, after the rotation flag is obeyed.
struct PlateInfo {
    std::string spec;              ///< as in PlateLocation
    int width = 0, height = 0;     ///< px
    Rational rate;                 ///< frames a second
    bool rateAssumed = false;      ///< nothing in the files gave the rate
    Rational pixelAspect{1, 1};    ///< width : height of a pixel
    int rotation = 0;              ///< degrees clockwise that the files ask for; already applied
    FrameRange frames;             ///< numbers of the files; movies start at 1001 as is common practice
    std::vector<FrameRange> gaps;  ///< missing stills inside `frames`
    std::string format;            ///< "H.264", "JPEG stills", …
    int bits = 8;                  ///< per channel
    PictureEncoding encoding = PictureEncoding::display;
    bool still = false;                        ///< a single photo
    std::optional<double> focalMm, focal35Mm;  ///< from metadata
    std::optional<double> sensorWidthMm, digitalZoom;
    std::string cameraMaker, cameraModel, lensModel;
    std::vector<std::string> warnings;  ///< sentences for the artist: cut off, variable rate, …

    /// The frame numbers for which there is a picture, in order.
    [[nodiscard]] std::vector<int> existing() const;
    [[nodiscard]] bool exists(int frame) const;
};

/// Sentence part such as "1013, 1020–1024" for messages.
std::string describeRanges(const std::vector<FrameRange>& ranges);

/// What the artist knows better than the files.
struct PlateOverrides {
    std::optional<Rational> rate;
    std::optional<Rational> pixelAspect;
};

/// Pictures of an opened plate. One instance is used by one thread at a time; open the plate again for another thread.
class PlateSource {
  public:
    virtual ~PlateSource() = default;
    [[nodiscard]] const PlateInfo& info() const { return info_; }
    /// Display-encoded luma, 0..255. Throws InputError naming the frame if it is missing or broken.
    virtual Luma luma(int frame) = 0;
    /// Ready to be shown. Throws as luma().
    virtual DisplayPicture display(int frame) = 0;
    /// The colours as the files hold them, upright, as float; opaque where the files have no alpha. Throws as luma().
    virtual Picture colours(int frame) = 0;
    /// Memory of a picture that is not needed any more, for the next luma().
    void takeBack(Luma used) { spare_ = std::move(used); }
    /// Of the frames around the given one, one that is quickly got at: movies decode on from their key frames.
    [[nodiscard]] virtual int quickFrameNear(int frame) const { return frame; }

  protected:
    PlateInfo info_;
    Luma spare_;
    friend std::unique_ptr<PlateSource> openPlate(const std::string&, const PlateOverrides&);
};

/// Opens a movie, numbered stills or a photo (see locatePlate). Throws InputError: not there, not a picture, empty,
/// stills of changing size.
std::unique_ptr<PlateSource> openPlate(const std::string& spec, const PlateOverrides& overrides = {});

/// Opens one picture file as a still of its own, whatever sequence its name may belong to. Throws as openPlate.
std::unique_ptr<PlateSource> openStill(const std::string& path);

/// Frame number given to the first picture of a movie, which carries none of its own.
inline constexpr int firstMovieFrame = 1001;

}  // namespace va
