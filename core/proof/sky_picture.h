// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <memory>
#include <string>
#include <vector>

#include "base/picture.h"

namespace va {

/// A picture of all directions: longitude to the right, its middle at the world's −Z, latitude upright, the zenith (+Y)
/// at the top. Linear light. Twice as wide as high.
class SkyPicture {
  public:
    /// Throws InputError: not twice as wide as high (within 1 %), or no light in it. Values that are negative, infinite
    /// or no number become 0; `repaired()` says how many.
    explicit SkyPicture(Picture linear);
    /// Reads .exr, .hdr and whatever else the plate reader knows; pictures in display values are made linear. Throws
    /// InputError as well where the file can't be read.
    static std::shared_ptr<const SkyPicture> fromFile(const std::string& file);

    /// Light from a unit direction, interpolated.
    [[nodiscard]] Eigen::Vector3f at(const Eigen::Vector3f& direction) const;
    /// A direction, bright ones more often; `density` per steradian of it.
    [[nodiscard]] Eigen::Vector3f sample(const Eigen::Vector2f& u, float& density) const;
    [[nodiscard]] float density(const Eigen::Vector3f& direction) const;
    /// Where it is brightest, 0..1 to the right and down.
    [[nodiscard]] Eigen::Vector2f brightest() const;
    /// Mean light over all directions.
    [[nodiscard]] const Eigen::Vector3f& mean() const { return mean_; }
    [[nodiscard]] int repaired() const { return repaired_; }
    [[nodiscard]] const Picture& picture() const { return picture_; }

  private:
    Picture picture_;
    int columns_ = 0, rows_ = 0;      ///< of the table that is sampled
    std::vector<float> rowsUpTo_;     ///< sums of weights up to each row, 0..1
    std::vector<float> columnsUpTo_;  ///< within each row
    std::vector<float> density_;      ///< per unit of the picture's square
    Eigen::Vector3f mean_ = Eigen::Vector3f::Zero();
    int repaired_ = 0;
};

/// Where a direction lies in such a picture, 0..1 to the right and down; and back.
Eigen::Vector2f skyPlace(const Eigen::Vector3f& direction);
Eigen::Vector3f skyDirection(const Eigen::Vector2f& place);

}  // namespace va
