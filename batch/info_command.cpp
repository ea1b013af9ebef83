// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <nlohmann/json.hpp>

#include "commands.h"
#include "media/plate_source.h"

namespace va {
namespace {

int info(const std::string& plate, const PlateOverrides& overrides, bool asJson) {
    const auto source = openPlate(plate, overrides);
    const PlateInfo& p = source->info();
    if (asJson) {
        nlohmann::json j{{"path", p.spec},
                         {"format", p.format},
                         {"width", p.width},
                         {"height", p.height},
                         {"bits", p.bits},
                         {"first", p.frames.first},
                         {"last", p.frames.last},
                         {"frame_rate", {{"num", p.rate.num}, {"den", p.rate.den}, {"assumed", p.rateAssumed}}},
                         {"pixel_aspect", p.pixelAspect.value()},
                         {"rotation", p.rotation},
                         {"still", p.still},
                         {"camera_maker", p.cameraMaker},
                         {"camera_model", p.cameraModel},
                         {"mirrored", p.mirrored},
                         {"interlaced", p.interlaced},
                         {"colour", p.colour},
                         {"stream", p.stream},
                         {"streams", p.streams},
                         {"other_series", p.otherSeries},
                         {"warnings", p.warnings},
                         {"notes", p.notes},
                         {"damaged", nlohmann::json::array()},
                         {"gaps", nlohmann::json::array()}};
        if (p.focalMm) j["focal_mm"] = *p.focalMm;
        if (p.focal35Mm) j["focal_35mm"] = *p.focal35Mm;
        for (const auto& g : p.gaps) j["gaps"].push_back({g.first, g.last});
        for (const auto& d : p.damaged) j["damaged"].push_back({{"frame", d.frame}, {"cause", d.cause}});
        if (!p.times.empty()) j["times"] = p.times;
        if (!p.storedFrames.empty()) j["stored_frames"] = p.storedFrames;
        std::printf("%s\n", j.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace).c_str());
        return exitDone;
    }
    std::printf("%s\n  %s, %d × %d, %d bit\n", p.spec.c_str(), p.format.c_str(), p.width, p.height, p.bits);
    std::printf("  frames %d-%d (%zu), %s fps%s\n", p.frames.first, p.frames.last, p.existing().size(),
                p.rate.label().c_str(), p.rateAssumed ? " assumed" : "");
    if (!(p.pixelAspect == Rational{1, 1})) std::printf("  pixel aspect %s\n", p.pixelAspect.label().c_str());
    if (!p.colour.empty()) std::printf("  colour %s\n", p.colour.c_str());
    if (p.rotation != 0 || p.mirrored) std::printf("  turned by %d°%s\n", p.rotation, p.mirrored ? ", mirrored" : "");
    if (!p.cameraModel.empty()) std::printf("  camera %s %s\n", p.cameraMaker.c_str(), p.cameraModel.c_str());
    if (p.focalMm) std::printf("  focal length %g mm\n", *p.focalMm);
    if (p.focal35Mm) std::printf("  35 mm equivalent %g mm\n", *p.focal35Mm);
    for (const auto& w : p.warnings) std::printf("  ! %s\n", w.c_str());
    for (const auto& n : p.notes) std::printf("  %s\n", n.c_str());
    return exitDone;
}

}  // namespace

void addInfoCommand(CommandLine& program, Command& run) {
    auto plate = std::make_shared<std::string>();
    auto asJson = std::make_shared<bool>(false), even = std::make_shared<bool>(false);
    auto stream = std::make_shared<int>(-1);
    CommandLine c = program.command("info", "What a plate says of itself");
    c.option("plate", *plate, "Movie, folder, pattern or picture").required();
    c.option("--stream", *stream, "Of a movie with several moving pictures, the number of the one to use");
    c.flag("--even-times", *even, "Put the frames of a movie with a variable rate on an even grid of its rate");
    c.flag("--json", *asJson, "As JSON");
    c.onChosen([=, &run] {
        run = [=] {
            PlateOverrides overrides;
            if (*stream >= 0) overrides.stream = *stream;
            overrides.evenTimes = *even;
            return info(*plate, overrides, *asJson);
        };
    });
}

}  // namespace va
