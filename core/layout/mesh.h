// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <string>

#include "layout/field.h"
#include "layout/mesh_file.h"
#include "layout/shape.h"

namespace va {

/// Geometry from a file, or one that changes over frames. Its origin is that of the file.
struct Mesh {
    std::string file;   ///< OBJ, glTF, PLY, STL or COLLADA, or the first of a numbered series of OBJ files
    double size = 1;    ///< world units for one unit of the file
    double start = 0;   ///< frame of the plate that shows its first frame
    double offset = 0;  ///< frames of it that are left out at its beginning
    int after = 0;      ///< position in the list below

    static constexpr const char *word = "mesh", *label = "Mesh", *plural = "meshes", *icon = "shapes";
    static constexpr std::array<Field<Mesh>, 3> fields{
        {{"unit", "Unit size", FieldUnit::world, 1e-9, 1e9, &Mesh::size},
         {"start", "Start frame", FieldUnit::frames, -1e7, 1e7, &Mesh::start},
         {"offset", "Offset", FieldUnit::frames, -1e7, 1e7, &Mesh::offset}}};
    static constexpr std::array<TextField<Mesh>, 1> texts{{{"file", "File", TextUse::meshFile, &Mesh::file}}};
    static constexpr const char* afterWords[] = {"hold", "loop"};
    static constexpr const char* afterLabels[] = {"Hold", "Loop"};
    static constexpr std::array<ChoiceField<Mesh>, 1> choices{
        {{"after", "After its end", afterWords, afterLabels, &Mesh::after}}};

    /// As it is in a frame of the plate. Where the file can't be read it is a box of crossed edges, a unit wide.
    [[nodiscard]] Shape shapeAt(double frame, double rate) const;
    [[nodiscard]] Shape shape() const { return shapeAt(start, 25); }
};

}  // namespace va
