// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/usda.h"

#include <algorithm>

#include <cmath>
#include <cstdio>
#include <map>
#include <set>

#include "base/error.h"
#include "base/text.h"
#include "lens/film_back.h"

namespace va {
namespace {

/// A prim name: letters, digits, underscore, not beginning with a digit, unlike those in `taken`.
std::string primName(const std::string& name, std::set<std::string>& taken) {
    std::string out;
    for (char c : name) out += std::isalnum(static_cast<unsigned char>(c)) ? c : '_';
    if (out.empty() || std::isdigit(static_cast<unsigned char>(out[0]))) out = "_" + out;
    std::string unique = out;
    for (int n = 2; !taken.insert(unique).second; ++n) unique = out + "_" + std::to_string(n);
    return unique;
}

std::string usdString(const std::string& text) {
    std::string out = "\"";
    for (char c : text) {
        if (c == '"' || c == '\\') out += '\\';
        out += c == '\n' ? ' ' : c;
    }
    return out + "\"";
}

/// OpenUSD multiplies row vectors from the left: rows are the axes, the last row is the position.
std::string matrix(const Eigen::Matrix3d& axes, const Eigen::Vector3d& at) {
    return formatted(
        "( (%.15g, %.15g, %.15g, 0), (%.15g, %.15g, %.15g, 0), (%.15g, %.15g, %.15g, 0), (%.15g, %.15g, %.15g, 1) )",
        axes(0, 0), axes(1, 0), axes(2, 0), axes(0, 1), axes(1, 1), axes(2, 1), axes(0, 2), axes(1, 2), axes(2, 2),
        at.x(), at.y(), at.z());
}

/// The body of a UsdGeomMesh: flat faces, counter-clockwise from outside, as its default orientation has it.
std::string mesh(const Shape& shape) {
    std::string points, counts, indices;
    for (const Eigen::Vector3d& v : shape.vertices)
        points += formatted("%s(%.9g, %.9g, %.9g)", points.empty() ? "" : ", ", v.x(), v.y(), v.z());
    for (const std::vector<int>& f : shape.faces) {
        counts += formatted("%s%zu", counts.empty() ? "" : ", ", f.size());
        for (const int i : f) indices += formatted("%s%d", indices.empty() ? "" : ", ", i);
    }
    return "        point3f[] points = [" + points + "]\n        int[] faceVertexCounts = [" + counts +
           "]\n        int[] faceVertexIndices = [" + indices +
           "]\n        uniform token subdivisionScheme = \"none\"\n";
}

}  // namespace

std::string writeUsda(const SceneExport& s) {
    if (s.frames.empty()) throw Error(text("There is no frame to export. Solve the shot first."));
    const double apertureMm = s.sensorWidthMm, heightMm = s.sensorWidthMm * s.height / (s.width * s.pixelAspect);
    const double centreX = (s.width - 1) / 2.0, centreY = (s.height - 1) / 2.0;
    std::string unsolved;
    for (const auto& f : s.frames)
        if (!f.solved) unsolved += (unsolved.empty() ? "" : ", ") + std::to_string(f.frame);
    std::string out = "#usda 1.0\n(\n    customLayerData = {\n        dictionary vividAnchor = {\n";
    out += formatted(
        "            int version = 1\n            int imageWidth = %d\n            int imageHeight = %d\n            "
        "double pixelAspect = %.15g\n",
        s.width, s.height, s.pixelAspect);
    out += formatted("            int frameRateNum = %d\n            int frameRateDen = %d\n", int(s.rate.num),
                     int(s.rate.den));
    out += formatted("            string lensModel = \"%s\"\n", lensKindName(s.lens.kind()));
    for (int i = 0; i < s.lens.count(); ++i)
        out += formatted("            double %s = %.17g\n", lensValueNames(s.lens.kind())[size_t(i)], s.lens.value(i));
    out += formatted(
        "            double rmsPx = %.9g\n            double checkRmsPx = %.9g\n            string motion = \"%s\"\n",
        s.rmsPx, s.checkRmsPx, s.motion.c_str());
    out += formatted("            double readoutShare = %.17g\n            double poseRow = 0.5\n", s.readout);
    if (std::any_of(s.movers.begin(), s.movers.end(), [](const auto& m) { return !m.sizeKnown; }))
        out += "            bool moverSizesGuessed = true\n";
    std::string put;
    for (const auto& f : s.frames)
        if (f.solved && f.origin != PoseOrigin::solved) put += (put.empty() ? "" : ", ") + std::to_string(f.frame);
    if (!put.empty()) out += "            int[] editedFrames = [" + put + "]\n";
    out += "            string verdict = " + usdString(s.verdict) + "\n            int[] unsolvedFrames = [" +
           unsolved + "]\n        }\n    }\n";
    out += formatted(
        "    defaultPrim = \"World\"\n    startTimeCode = %d\n    endTimeCode = %d\n    timeCodesPerSecond = %.15g\n   "
        " framesPerSecond = %.15g\n    metersPerUnit = 1\n    upAxis = \"Y\"\n)\n\n",
        s.frames.front().frame, s.frames.back().frame, s.rate.value(), s.rate.value());
    out += "def Xform \"World\"\n{\n    def Camera \"Camera\"\n    {\n        token projection = \"perspective\"\n";
    out += formatted("        float horizontalAperture = %.9g\n        float verticalAperture = %.9g\n", apertureMm,
                     heightMm);
    // Aperture offsets are to the right and up; the picture's y runs down.
    out += formatted("        float horizontalApertureOffset = %.9g\n        float verticalApertureOffset = %.9g\n",
                     -(s.principalPoint.x() - centreX) * apertureMm / s.width,
                     (s.principalPoint.y() - centreY) * heightMm / s.height);
    out += "        float2 clippingRange = (0.01, 100000)\n        float focalLength.timeSamples = {\n";
    for (const auto& f : s.frames)
        if (f.solved) out += formatted("            %d: %.9g,\n", f.frame, s.focalMm(f));
    out += "        }\n        matrix4d xformOp:transform.timeSamples = {\n";
    for (const auto& f : s.frames)
        if (f.solved)
            out += formatted("            %d: ", f.frame) +
                   matrix(f.pose.worldFromCamera.toRotationMatrix(), f.pose.position) + ",\n";
    out +=
        "        }\n        uniform token[] xformOpOrder = [\"xformOp:transform\"]\n    }\n\n    def Points "
        "\"Cloud\"\n    {\n        point3f[] points = [";
    for (size_t i = 0; i < s.points.size(); ++i)
        out += formatted("%s(%.9g, %.9g, %.9g)", i ? ", " : "", s.points[i].position.x(), s.points[i].position.y(),
                         s.points[i].position.z());
    out += "]\n        int64[] ids = [";
    for (size_t i = 0; i < s.points.size(); ++i) out += formatted("%s%d", i ? ", " : "", s.points[i].id);
    out += "]\n        float[] widths = [0.02] (\n            interpolation = \"constant\"\n        )\n    }\n";
    std::set<std::string> taken{"Camera", "Cloud"};
    for (const Thing& t : s.things) {
        const std::string name = primName(t.name, taken);
        const Shape shape = shapeOf(t.kind);
        std::string values;
        for (const FieldValue& f : fieldsOf(t.kind))
            values += formatted("%s%.17g", values.empty() ? "" : ", ", f.value);
        out += formatted("\n    def %s \"%s\" (\n        customData = {\n", shape.faces.empty() ? "Xform" : "Mesh",
                         name.c_str());
        out +=
            formatted("            string role = \"%s\"\n            string kind = \"%s\"\n            string label = ",
                      shape.faces.empty() ? "anchor" : "prop", kindWord(t.kind)) +
            usdString(t.name) + "\n            double[] values = [" + values + "]\n        }\n    )\n    {\n";
        if (!shape.faces.empty()) out += mesh(shape);
        out += "        matrix4d xformOp:transform = " + matrix(t.rotation.toRotationMatrix(), t.position) +
               "\n        uniform token[] xformOpOrder = [\"xformOp:transform\"]\n    }\n";
    }
    for (const auto& m : s.movers) {
        out += "\n    def Xform \"" + primName(m.name, taken) +
               "\" (\n        customData = {\n            string role = \"mover\"\n            string label = " +
               usdString(m.name) + "\n        }\n    )\n    {\n        matrix4d xformOp:transform.timeSamples = {\n";
        for (const auto& [frame, pose] : m.poses)
            out += formatted("            %d: ", frame) +
                   matrix(pose.worldFromCamera.toRotationMatrix(), pose.position) + ",\n";
        out +=
            "        }\n        uniform token[] xformOpOrder = [\"xformOp:transform\"]\n        def Points "
            "\"Points\"\n        {\n"
            "            point3f[] points = [";
        for (size_t i = 0; i < m.points.size(); ++i)
            out += formatted("%s(%.9g, %.9g, %.9g)", i ? ", " : "", m.points[i].position.x(), m.points[i].position.y(),
                             m.points[i].position.z());
        out += "]\n        }\n    }\n";
    }
    out += formatted(
        "}\n\ndef Scope \"Render\"\n{\n    def RenderSettings \"Plate\"\n    {\n        uniform int2 resolution = (%d, "
        "%d)\n        uniform float pixelAspectRatio = %.9g\n        rel camera = </World/Camera>\n    }\n}\n",
        s.width, s.height, s.pixelAspect);
    return out;
}

namespace {

/// Finds values by the words before them, in the fixed layout that writeUsda makes.
class UsdaScan {
  public:
    UsdaScan(const std::string& text, const std::string& source) : text_(text), source_(source) {}

    [[noreturn]] void fail() const {
        throw InputError(text("\"%s\" is not a whole scene file of ours. Export it again.", source_.c_str()));
    }
    size_t after(const std::string& words, size_t from = 0) const {
        const size_t at = text_.find(words, from);
        if (at == std::string::npos) fail();
        return at + words.size();
    }
    double number(const std::string& words, size_t from = 0) const {
        return std::strtod(text_.c_str() + after(words, from), nullptr);
    }
    std::string word(const std::string& words, size_t from = 0) const {
        const size_t at = after(words, from);
        std::string out;
        for (size_t i = at; i < text_.size() && text_[i] != '"'; ++i) {
            if (text_[i] == '\\') ++i;
            out += text_[i];
        }
        return out;
    }
    /// All numbers between `from` and the closing character.
    std::vector<double> numbersUntil(size_t from, char close) const {
        std::vector<double> out;
        const char* p = text_.c_str() + from;
        while (*p && *p != close) {
            char* end = nullptr;
            const double v = std::strtod(p, &end);
            if (end != p) out.push_back(v), p = end;
            else ++p;
        }
        if (!*p) fail();
        return out;
    }

  private:
    const std::string& text_;
    const std::string& source_;
};

void readThings(const UsdaScan& scan, const std::string& text, SceneExport& s) {
    const std::string words = "string role = \"";
    for (size_t at = text.find(words); at != std::string::npos; at = text.find(words, at + 1)) {
        const std::string role = scan.word(words, at);
        if (role != "anchor" && role != "prop") continue;
        const auto kind = kindNamed(scan.word("string kind = \"", at));
        if (!kind) scan.fail();
        Thing t;
        t.id = int(s.things.size()) + 1;
        t.kind = *kind;
        t.name = scan.word("string label = \"", at);
        const auto values = scan.numbersUntil(scan.after("double[] values = [", at), ']');
        for (size_t i = 0; i < values.size(); ++i)
            if (!setField(t.kind, i, values[i])) scan.fail();
        const auto m = scan.numbersUntil(scan.after("matrix4d xformOp:transform = ", at), '\n');
        if (m.size() != 16) scan.fail();
        Eigen::Matrix3d axes;
        for (int c = 0; c < 3; ++c)
            for (int r = 0; r < 3; ++r) axes(r, c) = m[size_t(4 * c + r)];
        t.rotation = Eigen::Quaterniond(axes);
        t.position = {m[12], m[13], m[14]};
        s.things.push_back(std::move(t));
    }
}

}  // namespace

SceneExport readUsda(const std::string& text, const std::string& source) {
    const UsdaScan scan(text, source);
    SceneExport s;
    if (text.rfind("#usda 1.0", 0) != 0) scan.fail();
    s.width = int(scan.number("int imageWidth = "));
    s.height = int(scan.number("int imageHeight = "));
    s.pixelAspect = scan.number("double pixelAspect = ");
    s.rate = reduced(int64_t(scan.number("int frameRateNum = ")), int64_t(scan.number("int frameRateDen = ")));
    if (std::fabs(scan.number("timeCodesPerSecond = ") - s.rate.value()) > 1e-9) scan.fail();
    s.readout = scan.number("double readoutShare = ");
    const std::string model = scan.word("string lensModel = \"");
    for (int kind = 0; kind < lensKinds; ++kind)
        if (model == lensKindName(LensKind(kind))) s.lens = LensModel{LensKind(kind)};
    for (int i = 0; i < s.lens.count(); ++i)
        s.lens.setValue(i, scan.number("double " + std::string(lensValueNames(s.lens.kind())[size_t(i)]) + " = "));
    s.motion = scan.word("string motion = \"");
    s.verdict = scan.word("string verdict = \"");
    s.sensorWidthMm = scan.number("float horizontalAperture = ");
    const double heightMm = scan.number("float verticalAperture = ");
    s.principalPoint = {
        (s.width - 1) / 2.0 - scan.number("float horizontalApertureOffset = ") * s.width / s.sensorWidthMm,
        (s.height - 1) / 2.0 + scan.number("float verticalApertureOffset = ") * s.height / heightMm};
    const int first = int(scan.number("startTimeCode = ")), last = int(scan.number("endTimeCode = "));
    std::map<int, SceneExport::Frame> frames;
    const auto focal = scan.numbersUntil(scan.after("focalLength.timeSamples = {"), '}');
    for (size_t i = 0; i + 1 < focal.size(); i += 2) {
        auto& f = frames[int(focal[i])];
        f.frame = int(focal[i]);
        f.solved = true;
        f.focalPx = focalPxFromMm(focal[i + 1], s.sensorWidthMm, s.width, s.pixelAspect);
    }
    const auto moves = scan.numbersUntil(scan.after("xformOp:transform.timeSamples = {"), '}');
    for (size_t i = 0; i + 16 < moves.size(); i += 17) {
        const auto f = frames.find(int(moves[i]));
        if (f == frames.end()) scan.fail();
        Eigen::Matrix3d axes;
        for (int c = 0; c < 3; ++c)
            for (int r = 0; r < 3; ++r) axes(r, c) = moves[i + 1 + size_t(4 * c + r)];
        f->second.pose = {{moves[i + 13], moves[i + 14], moves[i + 15]}, Eigen::Quaterniond(axes)};
    }
    for (double n : scan.numbersUntil(scan.after("unsolvedFrames = ["), ']')) frames[int(n)].frame = int(n);
    for (const auto& [number, f] : frames) s.frames.push_back(f);
    if (s.frames.empty() || s.frames.front().frame != first || s.frames.back().frame != last) scan.fail();
    const auto xyz = scan.numbersUntil(scan.after("point3f[] points = ["), ']');
    const auto ids = scan.numbersUntil(scan.after("int64[] ids = ["), ']');
    if (xyz.size() != 3 * ids.size()) scan.fail();
    for (size_t i = 0; i < ids.size(); ++i)
        s.points.push_back({int(ids[i]), "", {xyz[3 * i], xyz[3 * i + 1], xyz[3 * i + 2]}, 0});
    const std::string role = "string role = \"mover\"";
    for (size_t at = text.find(role); at != std::string::npos; at = text.find(role, at + 1)) {
        SceneExport::Mover m;
        const auto places = scan.numbersUntil(scan.after("xformOp:transform.timeSamples = {", at), '}');
        for (size_t i = 0; i + 16 < places.size(); i += 17) {
            Eigen::Matrix3d axes;
            for (int c = 0; c < 3; ++c)
                for (int r = 0; r < 3; ++r) axes(r, c) = places[i + 1 + size_t(4 * c + r)];
            m.poses.emplace_back(
                int(places[i]), CameraPose{{places[i + 13], places[i + 14], places[i + 15]}, Eigen::Quaterniond(axes)});
        }
        const auto own = scan.numbersUntil(scan.after("point3f[] points = [", at), ']');
        for (size_t i = 0; i + 2 < own.size(); i += 3) m.points.push_back({0, "", {own[i], own[i + 1], own[i + 2]}, 0});
        s.movers.push_back(std::move(m));
    }
    readThings(scan, text, s);
    return s;
}

const ExportFormat usdaFormat{
    "usda",
    "Camera and scene, OpenUSD",
    "camera.usda",
    writeUsda,
    [](const std::string& text, const std::string& source, const SceneExport&) { return readUsda(text, source); },
    [](const SceneExport& s) {
        return std::string(s.lens.isZero() ? "" : "lens distortion (only its numbers, in customLayerData)");
    },
};

}  // namespace va
