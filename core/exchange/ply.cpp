// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/ply.h"

#include <cstdio>
#include <sstream>

#include "base/error.h"
#include "base/text.h"

namespace va {

std::string writePly(const SceneExport& s) {
    std::string out = "ply\nformat ascii 1.0\ncomment solved features, " + std::string(s.zUp ? "Z" : "Y") +
                      " up, units: " + (s.metric ? formatted("%.9g m", s.metresPerUnit) : std::string("scene")) +
                      "\nelement vertex " + std::to_string(s.points.size()) +
                      "\nproperty double x\nproperty double y\nproperty double z\nproperty int id\nproperty float "
                      "rms_px\nend_header\n";
    char line[200];
    for (const auto& p : s.points) {
        std::snprintf(line, sizeof line, "%.17g %.17g %.17g %d %.9g\n", p.position.x(), p.position.y(), p.position.z(),
                      p.id, p.rmsPx);
        out += line;
    }
    return out;
}

std::vector<SceneExport::Point> readPly(const std::string& content, const std::string& source) {
    std::istringstream in(content);
    std::string word;
    size_t count = 0;
    bool header = false;
    while (std::getline(in, word)) {
        if (word.rfind("element vertex ", 0) == 0) count = std::stoul(word.substr(15));
        if (word == "end_header") {
            header = true;
            break;
        }
    }
    std::vector<SceneExport::Point> out;
    SceneExport::Point p;
    while (header && out.size() < count && in >> p.position.x() >> p.position.y() >> p.position.z() >> p.id >> p.rmsPx)
        out.push_back(p);
    if (!header || out.size() != count)
        throw InputError(text("\"%s\" is not a whole point cloud file. Export it again.", source.c_str()));
    return out;
}

const ExportFormat plyFormat{
    .word = "ply",
    .label = "Point cloud, PLY",
    .fileName = "cloud.ply",
    .write =
        [](const SceneExport& s) {
            return OutFiles{{"", writePly(s), ""}};
        },
    .read =
        [](const std::string& content, const std::string& source) {
            ForeignScene out;
            out.format = "ply";
            for (const auto& p : readPly(content, source)) out.points.push_back({p.id, p.position});
            return out;
        },
    .lacks =
        [](const SceneExport& s) {
            std::string out = text("the camera");
            if (!s.things.empty()) out += ", " + text("things");
            if (!s.movers.empty()) out += ", " + text("movers");
            return out;
        },
    .holdsCamera = false,
    .holdsThings = false,
    .byDefault = true,
};

}  // namespace va
