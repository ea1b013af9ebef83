// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "exchange/foreign_export.h"
#include "shot/shot.h"

namespace va {

/// Something in which a scene file and the shot do not agree, or that the file does not say: what each has, what
/// follows, and what can be done.
struct Misfit {
    enum class About : uint8_t {
        rate,
        size,
        firstFrame,
        frames,
        axis,
        unit,
        filmBack,
        backShape,
        distortion,
        camera,
        pixels,
        world
    };
    About about = About::rate;
    std::string theirs, ours;          ///< both values, in words
    std::string consequence;           ///< a sentence, with px where that can be told
    std::vector<std::string> choices;  ///< what can be done, in words; one alone is only told
    int chosen = 0;
    bool open = false;  ///< nothing is a safe answer: a choice has to be made
};

/// What the file and the shot disagree about, in the order in which it matters, with the safe answer chosen where there
/// is one. Throws InputError: no camera in the file, no plate in the shot.
std::vector<Misfit> misfitsOf(const Shot& shot, const ForeignScene& scene, const std::string& camera = {});

/// The shot with the file's camera as its solved one, locked, its points as the cloud, and its bodies as things; the
/// world is the file's own. `file` is named as the source. Meshes are written as OBJ files into `meshFolder`; empty =
/// no things are taken. Throws InputError where a misfit is still open, where the file has no frame in the plate's
/// range, and where meshes can't be written; nothing is half taken.
Shot withImportedScene(const Shot& shot, const ForeignScene& scene, const std::vector<Misfit>& misfits,
                       const std::string& camera, const std::string& file, const std::filesystem::path& meshFolder);

/// The scene as those answers make it, over the shot's plate.
SceneExport answered(const Shot& shot, const ForeignScene& scene, const std::vector<Misfit>& misfits,
                     const std::string& camera);

/// The shot whose imported camera may be solved anew. The camera stays until then.
Shot withCameraUnlocked(const Shot& shot);

}  // namespace va
