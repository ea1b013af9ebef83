// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <nlohmann/json.hpp>

#include "commands.h"
#include "media/plate_source.h"

namespace va {
namespace {

int info(const std::string& plate, bool asJson) {
    const auto source = openPlate(plate);
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
                         {"warnings", p.warnings},
                         {"gaps", nlohmann::json::array()}};
        if (p.focalMm) j["focal_mm"] = *p.focalMm;
        if (p.focal35Mm) j["focal_35mm"] = *p.focal35Mm;
        for (const auto& g : p.gaps) j["gaps"].push_back({g.first, g.last});
        std::printf("%s\n", j.dump().c_str());
        return exitDone;
    }
    std::printf("%s\n  %s, %d × %d, %d bit\n", p.spec.c_str(), p.format.c_str(), p.width, p.height, p.bits);
    std::printf("  frames %d-%d (%zu), %s fps%s\n", p.frames.first, p.frames.last, p.existing().size(),
                p.rate.label().c_str(), p.rateAssumed ? " assumed" : "");
    if (!(p.pixelAspect == Rational{1, 1})) std::printf("  pixel aspect %s\n", p.pixelAspect.label().c_str());
    if (p.rotation != 0) std::printf("  turned by %d°\n", p.rotation);
    if (!p.cameraModel.empty()) std::printf("  camera %s %s\n", p.cameraMaker.c_str(), p.cameraModel.c_str());
    if (p.focalMm) std::printf("  focal length %g mm\n", *p.focalMm);
    if (p.focal35Mm) std::printf("  35 mm equivalent %g mm\n", *p.focal35Mm);
    for (const auto& w : p.warnings) std::printf("  ! %s\n", w.c_str());
    return exitDone;
}

}  // namespace

void addInfoCommand(CLI::App& program, Command& run) {
    auto plate = std::make_shared<std::string>();
    auto asJson = std::make_shared<bool>(false);
    CLI::App* c = program.add_subcommand("info", "What a plate says of itself");
    c->add_option("plate", *plate, "Movie, folder, pattern or picture")->required();
    c->add_flag("--json", *asJson, "As JSON");
    c->callback([=, &run] { run = [=] { return info(*plate, *asJson); }; });
}

}  // namespace va
