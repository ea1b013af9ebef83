// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "shot/shot.h"

namespace va {

/// Paths as text in our two open layouts (docs/formats.md): CSV with one line a point, JSON with columns a path.
/// Positions are pixels of the plate, (0, 0) = centre of the top-left pixel, x right, y down.
std::string pathsToCsv(const Shot& shot);
/// The same of some paths, their frames numbered otherwise.
std::string pathsToCsv(const std::vector<Path>& paths, int frameShift = 0);
std::string pathsToJson(const Shot& shot);

/// Reads either layout; the name's ending decides (".csv", ".json"). A CSV needs the columns path, frame, x and y; the
/// others may be missing and stand in any order. Throws InputError naming the file, the line and what is wrong; nothing
/// is taken from a file with an error.
std::vector<Path> readPathsFile(const std::filesystem::path& file);

/// How paths of another numbering and another picture size become paths of the plate.
struct PathsMapping {
    std::optional<int> firstFrame;              ///< of the plate, for the earliest frame in the file
    std::optional<std::pair<int, int>> sizePx;  ///< of the picture that the paths were tracked in
};
/// What a file says of the picture that its paths were tracked in; CSV says it in a line "# size_px: 1920 x 1080".
std::optional<std::pair<int, int>> sizeOfPathsFile(const std::filesystem::path& file);

/// The shot with the file's paths added; ids that are taken already are given anew. `count`, if given, gets how many.
/// Positions in a picture of another size are scaled, pixels' middles to pixels' middles. Throws InputError, also when
/// a path lies wholly outside of the plate's frames, and where the file's picture has another size and no mapping says
/// so.
Shot withPathsFromFile(const Shot& shot, const std::filesystem::path& file, int* count = nullptr,
                       const PathsMapping& mapping = {});
/// The same of paths as text, in the CSV layout; `source` names it.
Shot withPathsFromText(const Shot& shot, const std::string& content, const std::string& source, int* count = nullptr);

/// A patch's corners over its frames: CSV with frame, then x and y of the corners from top left clockwise, quality and
/// visible; JSON with the same, the outline and the map (3 × 3, reference frame pixels to the frame's).
std::string patchToCsv(const FlatPatch& patch);
std::string patchToJson(const FlatPatch& patch, const Shot& shot);

}  // namespace va
