// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/frame_range.h"
#include "base/picture.h"
#include "base/plane.h"
#include "base/progress.h"
#include "base/rational.h"
#include "media/damage_mask.h"

namespace va {

/// How the numbers in the files relate to light.
enum class PictureEncoding { display, linear, log };

/// A frame whose picture is not whole.
struct FrameDamage {
    int frame = 0;
    std::string cause;
    friend bool operator==(const FrameDamage&, const FrameDamage&) = default;
};

/// What a plate says of itself. Sizes are of the upright picture, after the rotation flag is used.
struct PlateInfo {
    std::string spec;                  ///< as in PlateLocation
    int width = 0, height = 0;         ///< px
    Rational rate;                     ///< frames a second
    bool rateAssumed = false;          ///< nothing in the files gave the rate
    Rational pixelAspect{1, 1};        ///< width : height of a pixel
    int rotation = 0;                  ///< degrees clockwise that the files ask for; already applied
    bool mirrored = false;             ///< the files ask for left and right swapped before the turn; already applied
    FrameRange frames;                 ///< numbers of the files; movies start at 1001 as is common practice
    std::vector<FrameRange> gaps;      ///< missing stills inside `frames`
    std::vector<FrameDamage> damaged;  ///< found while reading: gaps as well; in order of frames
    std::string format;                ///< "H.264", "JPEG stills", …
    int bits = 8;                      ///< per channel
    PictureEncoding encoding = PictureEncoding::display;
    bool still = false;                        ///< a single photo
    std::optional<double> focalMm, focal35Mm;  ///< from metadata
    std::optional<double> sensorWidthMm, digitalZoom;
    std::string cameraMaker, cameraModel, lensModel;
    std::vector<std::string> warnings;  ///< sentences for the artist: cut off, variable rate, …
    std::vector<std::string> notes;     ///< sentences worth knowing that ask for nothing: assumed colours, alpha, …
    int stream = -1;                    ///< of a movie; −1 for stills
    std::vector<int> streams;           ///< of a movie with more than one moving picture: all that can be chosen
    std::vector<std::string> otherSeries;  ///< specs of other series of stills in the folder that was opened
    std::string colour;                    ///< "BT.709, limited range"; empty for stills
    /// Seconds of each frame from the first, where frames are not evenly spaced in time; empty otherwise.
    std::vector<double> times;
    /// With even times: for each frame of the grid, the stored frame that it shows; empty otherwise.
    std::vector<int> storedFrames;
    bool interlaced = false;  ///< the files say that each picture holds two moments

    /// The frame numbers for which there is a whole picture, in order.
    [[nodiscard]] std::vector<int> existing() const;
    [[nodiscard]] bool exists(int frame) const;
    /// What is wrong with the picture of a frame, as far as is known; empty = nothing.
    [[nodiscard]] std::string damageAt(int frame) const;
};

/// Sentence part such as "1013, 1020–1024" for messages.
std::string describeRanges(const std::vector<FrameRange>& ranges);

/// What the artist knows better than the files.
struct PlateOverrides {
    std::optional<Rational> rate;
    std::optional<Rational> pixelAspect;
    std::optional<int> stream = std::nullopt;  ///< of a movie with several moving pictures
    /// Frames of a movie with a variable rate on an even grid of its rate: each shows the stored frame that is nearest
    /// in time (PlateInfo::storedFrames).
    bool evenTimes = false;
};

/// One frame can't be read, or only a patched-up picture of it; the others can. Not an error of the plate: the frame
/// becomes a gap.
class DamagedFrame : public InputError {
  public:
    DamagedFrame(const std::string& sentence, std::string cause) : InputError(sentence), cause_(std::move(cause)) {}
    [[nodiscard]] const std::string& cause() const noexcept { return cause_; }

  private:
    std::string cause_;
};

/// Pictures of an opened plate. One instance is used by one thread at a time; open the plate again for another thread.
class PlateSource {
  public:
    virtual ~PlateSource() = default;
    [[nodiscard]] const PlateInfo& info() const { return info_; }
    /// Display-encoded luma, 0..255. Throws DamagedFrame if the frame is missing, broken, or was patched up by the
    /// decoder; InputError naming the frame if it lies outside of the plate.
    virtual Luma luma(int frame) = 0;
    /// Ready to be shown; a patched-up picture is shown as it is. Throws as luma().
    virtual DisplayPicture display(int frame) = 0;
    /// The colours as the files hold them, upright, as float; opaque where the files have no alpha. Throws as luma().
    virtual Picture colours(int frame) = 0;
    /// What is wrong with the picture that display() gave last; empty = nothing.
    [[nodiscard]] const std::string& displayDamage() const { return displayDamage_; }
    /// Which parts of the picture that luma() gave last depend on a damaged picture. Empty for most.
    [[nodiscard]] const DamageMask& lumaDamage() const { return lumaDamage_; }
    /// Memory of a picture that is not needed any more, for the next luma().
    void takeBack(Luma used) { spare_ = std::move(used); }
    /// Of the frames around the given one, one that is quickly got at: movies decode on from their key frames.
    [[nodiscard]] virtual int quickFrameNear(int frame) const { return frame; }

  protected:
    PlateInfo info_;
    Luma spare_;
    std::string displayDamage_;
    DamageMask lumaDamage_;
    friend std::unique_ptr<PlateSource> openPlate(const std::string&, const PlateOverrides&, Progress*);
};

/// Opens a movie, numbered stills or a photo (see locatePlate). A movie's packets are read once on opening; `progress`
/// tells how far that is and can cancel it. Throws InputError: not there, not a picture, empty, encrypted, smaller than
/// 4 or larger than 16384 px; Cancelled.
std::unique_ptr<PlateSource> openPlate(const std::string& spec, const PlateOverrides& overrides = {},
                                       Progress* progress = nullptr);

/// Opens one picture file as a still of its own, whatever sequence its name may belong to. Throws as openPlate.
std::unique_ptr<PlateSource> openStill(const std::string& path);

/// Frame number given to the first picture of a movie, which carries none of its own.
inline constexpr int firstMovieFrame = 1001;

}  // namespace va
