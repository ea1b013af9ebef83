// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

namespace va {

/// What a thing hangs on. Its place is given in the axes of that: see PlacedThings for where they stand.
struct Hang {
    enum class On {
        world,    ///< the world's own axes
        ground,   ///< the same; whatever becomes of the ground, it stands on it
        point,    ///< a solved point; the world's axes
        middle,   ///< the mean of some solved points; the world's axes
        surface,  ///< the plane that fits some solved points best: Y away from it, origin amid them
        plane,    ///< a named plane, Y away from it, origin amid its points
        thing,    ///< another thing, with its position, rotation and scale
        mover,    ///< a mover's own axes
        patch,    ///< a flat patch as it moves: Y away from it, X along its upper edge, origin in its middle
        camera    ///< the camera of the frame
    };
    On on = On::world;
    int id = 0;              ///< of the point's path, plane, thing, mover or patch
    std::vector<int> paths;  ///< of a middle and a surface
    friend bool operator==(const Hang&, const Hang&) = default;

    /// Whether it can be told from the world's axes by where something else is.
    [[nodiscard]] bool follows() const { return on != On::world && on != On::ground; }
};

inline constexpr const char* hangWords[] = {"world", "ground", "point", "middle", "surface",
                                            "plane", "thing",  "mover", "patch",  "camera"};

}  // namespace va
