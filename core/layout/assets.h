// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <list>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>

#include "base/picture.h"
#include "base/rational.h"
#include "layout/mesh_file.h"

namespace va {

class PlateSource;

/// The files that things show, each read once and kept: a thing names its file and stays a small value. May be asked
/// from any thread. A file that changed on disk is read again; one that can't be read gives null, and trouble() says
/// why.
class Assets {
  public:
    Assets();
    ~Assets();
    Assets(const Assets&) = delete;
    [[nodiscard]] std::shared_ptr<const MeshFile> mesh(const std::string& file);
    /// A still, or a frame of numbered stills or of a movie, counted from 0; display colours multiplied by alpha.
    /// Frames beyond the last one are the last, or go on at the first with `loop`. A picture within a mesh file is
    /// named as "file*number".
    [[nodiscard]] std::shared_ptr<const Picture8> picture(const std::string& file, int frame, bool loop = false);
    /// Frames that a picture file has, and its rate; a still has one and no rate.
    struct Moving {
        int frames = 1;
        std::optional<Rational> rate;
    };
    [[nodiscard]] Moving moving(const std::string& file);
    [[nodiscard]] std::string trouble(const std::string& file);

  private:
    struct Opened;
    Opened* opened(const std::string& file);
    std::mutex lock_;
    std::map<std::string, std::unique_ptr<Opened>> files_;
    struct Held {
        std::string file;
        int frame;
        std::shared_ptr<const Picture8> picture;
    };
    std::list<Held> held_;  ///< pictures used last come first
};

/// The ones of this program.
Assets& assets();

}  // namespace va
