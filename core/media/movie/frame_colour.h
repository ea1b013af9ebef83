// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <string>

#include "base/picture.h"
#include "media/movie/av_handles.h"
#include "media/plate_source.h"

struct SwsContext;

namespace va {

/// How a movie's numbers stand for colour (ITU-T H.273).
struct MovieColour {
    int matrix = 1;        ///< AVColorSpace
    bool full = false;     ///< 0…255 rather than 16…235
    bool guessed = false;  ///< the matrix is not tagged: BT.709 from 1280 x 720 px on, BT.601 below, common practice
    bool rgb = false;      ///< coded as RGB: no matrix

    static MovieColour of(const AVFrame& frame);
    /// "BT.709, limited range"
    [[nodiscard]] std::string words() const;
};

/// Decoded pictures as luma, for the screen, and as float colour.
class FrameConverter {
  public:
    explicit FrameConverter(std::string path) : path_(std::move(path)) {}
    /// Display-encoded, 0..255: the Y channel where there is one, so that no conversion costs time or precision.
    /// The memory of `spare` is used again.
    Luma luma(const AVFrame& frame, Luma spare);
    DisplayPicture display(const AVFrame& frame);
    /// Code values, 0..1; float pictures as they are. Throws InputError where the colours can't be read.
    Picture colours(const AVFrame& frame);

  private:
    struct ScalerDeleter {
        void operator()(SwsContext* p) const;
    };
    void convert(const AVFrame& frame, AVPixelFormat to, uint8_t* const planes[4], const int strides[4]);

    std::string path_;
    std::unique_ptr<SwsContext, ScalerDeleter> scaler_;
};

}  // namespace va
