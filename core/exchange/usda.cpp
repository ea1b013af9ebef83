// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/usda.h"

#include <algorithm>

#include <cmath>
#include <set>

#include "base/error.h"
#include "base/text.h"
#include "exchange/usda_read.h"
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

/// The same with a scale.
std::string matrix(const Similarity& s) { return matrix(s.scale * s.rotation.toRotationMatrix(), s.translation); }

size_t materialsOf(const Shape& shape) { return std::max<size_t>(1, shape.materials.size()); }

Eigen::Vector4d colourOf(const Shape& shape, const Eigen::Vector4d& own, size_t material) {
    return material < shape.materials.size() ? shape.materials[material].colour.value_or(own) : own;
}

template <class List, class Word>
std::string listed(const List& list, Word word) {
    std::string out;
    for (const auto& v : list) out += (out.empty() ? "" : ", ") + word(v);
    return out;
}

std::string single(const Eigen::Vector3d& v) { return formatted("(%.9g, %.9g, %.9g)", v.x(), v.y(), v.z()); }

/// The body of a UsdGeomMesh: flat faces, counter-clockwise from outside, as its default orientation has it. Each face
/// has the colour of its material, and is bound to that below `path`.
std::string mesh(const Shape& shape, const Eigen::Vector4d& colour, const std::string& path, const std::string& in) {
    std::string colours;
    const bool several = shape.materials.size() > 1;
    for (size_t f = 0; f < (several ? shape.faceCount() : std::min<size_t>(1, shape.faceCount())); ++f) {
        const Eigen::Vector4d c = colourOf(shape, colour, shape.material.empty() ? 0 : size_t(shape.material[f]));
        colours += formatted("%s(%.6g, %.6g, %.6g)", colours.empty() ? "" : ", ", c.x(), c.y(), c.z());
    }
    const auto whole = [](int v) { return std::to_string(v); };
    std::string out =
        in + "point3f[] points = [" + listed(shape.vertices, single) + "]\n" + in + "int[] faceVertexCounts = [" +
        listed(shape.counts, whole) + "]\n" + in + "int[] faceVertexIndices = [" + listed(shape.corners, whole) +
        "]\n" + in + "uniform token subdivisionScheme = \"none\"\n" + in + "color3f[] primvars:displayColor = [" +
        colours + "] (\n" + in + "    interpolation = \"" + (several ? "uniform" : "constant") + "\"\n" + in + ")\n";
    if (!shape.uv.empty())
        out += in + "texCoord2f[] primvars:st = [" +
               listed(shape.uv, [](const Eigen::Vector2d& v) { return formatted("(%.9g, %.9g)", v.x(), v.y()); }) +
               "] (\n" + in + "    interpolation = \"faceVarying\"\n" + in + ")\n";
    if (!several) return out + in + "rel material:binding = <" + path + "/Look0>\n";
    for (size_t m = 0; m < shape.materials.size(); ++m) {
        std::vector<int> faces;
        for (size_t f = 0; f < shape.faceCount(); ++f)
            if ((shape.material.empty() ? 0 : size_t(shape.material[f])) == m) faces.push_back(int(f));
        out += "\n" + in + formatted("def GeomSubset \"Faces%zu\"\n", m) + in + "{\n" + in +
               "    uniform token elementType = \"face\"\n" + in + "    uniform token familyName = \"materialBind\"\n" +
               in + "    int[] indices = [" + listed(faces, whole) + "]\n" + in + "    rel material:binding = <" +
               path + formatted("/Look%zu>\n", m) + in + "}\n";
    }
    return out;
}

/// UsdPreviewSurface ("UsdPreviewSurface Specification"): its colours are linear light.
std::string look(const Shape& shape, const Eigen::Vector4d& own, size_t m, const std::string& path,
                 const std::string& in, OutFiles& files) {
    const Eigen::Vector4d c = colourOf(shape, own, m);
    const auto linear = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
    const Material plain, &of = m < shape.materials.size() ? shape.materials[m] : plain;
    const OutFile picture = of.picture.empty() || shape.uv.empty() ? OutFile() : pictureFile(of.picture, files);
    const std::string here = path + formatted("/Look%zu", m);
    std::string out = "\n" + in + formatted("def Material \"Look%zu\"\n", m) + in + "{\n" + in +
                      "    token outputs:surface.connect = <" + here + "/Surface.outputs:surface>\n" + in +
                      "    def Shader \"Surface\"\n" + in + "    {\n" + in +
                      "        uniform token info:id = \"UsdPreviewSurface\"\n" + in;
    out += picture.name.empty() ? formatted("        color3f inputs:diffuseColor = (%.6g, %.6g, %.6g)\n", linear(c.x()),
                                            linear(c.y()), linear(c.z()))
                                : "        color3f inputs:diffuseColor.connect = <" + here + "/Picture.outputs:rgb>\n";
    out += in + formatted("        float inputs:roughness = %.6g\n", of.roughness) + in +
           formatted("        float inputs:metallic = %.6g\n", of.metalness) + in +
           formatted("        float inputs:opacity = %.6g\n", c.w()) + in + "        token outputs:surface\n" + in +
           "    }\n";
    if (!picture.name.empty())
        out += in + "    def Shader \"Picture\"\n" + in + "    {\n" + in +
               "        uniform token info:id = \"UsdUVTexture\"\n" + in + "        asset inputs:file = @" +
               picture.name + "@\n" + in + "        float2 inputs:st.connect = <" + here + "/Places.outputs:result>\n" +
               in + "        float3 outputs:rgb\n" + in + "    }\n" + in + "    def Shader \"Places\"\n" + in +
               "    {\n" + in + "        uniform token info:id = \"UsdPrimvarReader_float2\"\n" + in +
               "        string inputs:varname = \"st\"\n" + in + "        float2 outputs:result\n" + in + "    }\n";
    return out + in + "}\n";
}

/// A thing and the things that hang on it, each in the axes of the one above.
void writeThing(const SceneExport& s, size_t index, const SceneExport::PlacedThing* parent,
                std::set<std::string>& taken, const std::string& above, const std::string& in, std::string& out,
                OutFiles& files) {
    const SceneExport::PlacedThing& t = s.things[index];
    const std::string prim = primName(t.name, taken), path = above + "/" + prim;
    const Shape shape = t.shape();
    std::string values, texts, choices;
    for (const FieldValue& f : fieldsOf(t.kind)) values += formatted("%s%.17g", values.empty() ? "" : ", ", f.value);
    for (const TextValue& f : textsOf(t.kind)) texts += (texts.empty() ? "" : ", ") + usdString(f.value);
    for (const ChoiceValue& f : choicesOf(t.kind)) choices += formatted("%s%d", choices.empty() ? "" : ", ", f.value);
    const char* role = hasSurface(t.kind) ? "prop" : "anchor";
    const bool solid = shape.faceCount() > 0;
    // A mesh is no place for others to hang on: a transform is, with the mesh in it.
    out += "\n" + in + "def Xform \"" + prim + "\" (\n" + in + "    customData = {\n";
    const auto said = [&](const std::string& line) { out += in + "        " + line + "\n"; };
    said(formatted("string role = \"%s\"", role));
    said(formatted("string kind = \"%s\"", kindWord(t.kind)));
    said("string label = " + usdString(t.name));
    said("string hangsOn = " + usdString(t.hangsOn));
    said("string parent = " + usdString(t.parentName));
    said("double[] values = [" + values + "]");
    said("string[] texts = [" + texts + "]");
    said("int[] choices = [" + choices + "]");
    said(formatted("double4 colour = (%.17g, %.17g, %.17g, %.17g)", t.colour.x(), t.colour.y(), t.colour.z(),
                   t.colour.w()));
    out += in + "    }\n" + in + ")\n" + in + "{\n";
    const auto own = [&](int frame) {
        const Similarity world = t.placeAt(frame);
        return parent ? parent->placeAt(frame).inverse().after(world) : world;
    };
    std::vector<int> frames;
    for (const auto& sample : t.samples) frames.push_back(sample.frame);
    if (frames.empty()) {
        const int first = s.frames.front().frame;
        out += in + "    matrix4d xformOp:transform = " + matrix(own(first)) + "\n";
        out += in + "    token visibility = \"" + (t.visible ? "inherited" : "invisible") + "\"\n";
    } else {
        out += in + "    matrix4d xformOp:transform.timeSamples = {\n";
        for (const int f : frames) out += in + formatted("        %d: ", f) + matrix(own(f)) + ",\n";
        out += in + "    }\n" + in + "    token visibility.timeSamples = {\n";
        for (const int f : frames)
            out += in + formatted("        %d: \"%s\",\n", f, t.visibleIn(f) ? "inherited" : "invisible");
        out += in + "    }\n";
    }
    out += in + "    uniform token[] xformOpOrder = [\"xformOp:transform\"]\n";
    std::set<std::string> below{"Shape"};
    if (solid) {
        out += "\n" + in + "    def Mesh \"Shape\" (\n" + in +
               "        prepend apiSchemas = [\"MaterialBindingAPI\"]\n" + in + "    )\n" + in + "    {\n" +
               mesh(shape, t.colour, path, in + "        ") + in + "    }\n";
        for (size_t m = 0; m < materialsOf(shape); ++m) {
            out += look(shape, t.colour, m, path, in + "    ", files);
            below.insert(formatted("Look%zu", m));
        }
    }
    for (size_t i = 0; i < s.things.size(); ++i)
        if (s.things[i].parentName == t.name && i != index) writeThing(s, i, &t, below, path, in + "    ", out, files);
    out += in + "}\n";
}

}  // namespace

std::string writeUsda(const SceneExport& s) { return usdaFiles(s).front().content; }

OutFiles usdaFiles(const SceneExport& s) {
    OutFiles files(1);
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
    out += formatted("            string unit = \"%s\"\n            int frameShift = %d\n",
                     s.metric ? "metric" : "scene", s.frameShift);
    if (!s.plate.empty() && s.plate.find('@') == std::string::npos)
        out += "            asset plate = @" + s.plate + "@\n";
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
        " framesPerSecond = %.15g\n    metersPerUnit = %.15g\n    upAxis = \"%s\"\n)\n\n",
        s.frames.front().frame, s.frames.back().frame, s.rate.value(), s.rate.value(), s.metresPerUnit,
        s.zUp ? "Z" : "Y");
    out += "def Xform \"World\"\n{\n    def Camera \"Camera\"\n    {\n        token projection = \"perspective\"\n";
    out += formatted("        float horizontalAperture = %.9g\n        float verticalAperture = %.9g\n", apertureMm,
                     heightMm);
    // Aperture offsets are to the right and up; the picture's y runs down.
    out += formatted("        float horizontalApertureOffset = %.9g\n        float verticalApertureOffset = %.9g\n",
                     -(s.principalPoint.x() - centreX) * apertureMm / s.width,
                     (s.principalPoint.y() - centreY) * heightMm / s.height);
    if (s.openShare > 0)
        out += formatted("        double shutter:open = %.9g\n        double shutter:close = %.9g\n", -s.openShare / 2,
                         s.openShare / 2);
    out += formatted("        custom string vividAnchor:lensModel = \"%s\"\n", lensKindName(s.lens.kind()));
    for (int i = 0; i < s.lens.count(); ++i)
        out += formatted("        custom double vividAnchor:%s = %.17g\n", lensValueNames(s.lens.kind())[size_t(i)],
                         s.lens.value(i));
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
    if (!s.layered.frames.empty()) {
        const auto& l = s.layered;
        // The same mm for each px as the plate's camera; its principal point stays on the plate's.
        const double wide = apertureMm * l.width / s.width, high = heightMm * l.height / s.height;
        const Eigen::Vector2d principal = s.principalPoint + Eigen::Vector2d(l.left, l.top);
        out += formatted(
            "\n    def Camera \"LayeredCamera\" (\n        customData = {\n            int4 layeredFrame = (%d, %d, "
            "%d, "
            "%d)\n        }\n    )\n    {\n        token projection = \"perspective\"\n",
            l.width, l.height, l.left, l.top);
        out +=
            formatted("        float horizontalAperture = %.9g\n        float verticalAperture = %.9g\n", wide, high);
        out += formatted("        float horizontalApertureOffset = %.9g\n        float verticalApertureOffset = %.9g\n",
                         -(principal.x() - (l.width - 1) / 2.0) * apertureMm / s.width,
                         (principal.y() - (l.height - 1) / 2.0) * heightMm / s.height);
        out += "        float2 clippingRange = (0.01, 100000)\n        float focalLength.timeSamples = {\n";
        for (const auto& f : l.frames)
            out += formatted("            %d: %.9g,\n", f.frame,
                             focalMmFromPx(f.focalPx, s.sensorWidthMm, s.width, s.pixelAspect));
        out += "        }\n        matrix4d xformOp:transform.timeSamples = {\n";
        for (const auto& f : l.frames)
            out += formatted("            %d: ", f.frame) +
                   matrix(f.pose.worldFromCamera.toRotationMatrix(), f.pose.position) + ",\n";
        out += "        }\n        uniform token[] xformOpOrder = [\"xformOp:transform\"]\n    }\n";
    }
    std::set<std::string> taken{"Camera", "Cloud", "LayeredCamera"};
    for (size_t i = 0; i < s.things.size(); ++i) {
        // A parent that is not among the things would lose what hangs on it.
        const std::string& parent = s.things[i].parentName;
        const bool below = std::any_of(s.things.begin(), s.things.end(),
                                       [&](const auto& t) { return !parent.empty() && t.name == parent; });
        if (!below) writeThing(s, i, nullptr, taken, "/World", "    ", out, files);
    }
    for (const auto& p : s.planes) {
        Shape flat;
        flat.vertices.assign(p.corners.begin(), p.corners.end());
        flat.addFace({0, 1, 2, 3});
        const Eigen::Vector4d grey(0.6, 0.6, 0.6, 1);
        const std::string prim = primName(p.name, taken), path = "/World/" + prim;
        out += "\n    def Xform \"" + prim +
               "\" (\n        customData = {\n            string role = \"plane\"\n            string label = " +
               usdString(p.name) +
               "\n        }\n    )\n    {\n        def Mesh \"Shape\" (\n            prepend apiSchemas = "
               "[\"MaterialBindingAPI\"]\n        )\n        {\n" +
               mesh(flat, grey, path, "            ") + "        }\n" + look(flat, grey, 0, path, "        ", files) +
               "    }\n";
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
    files.front().content = std::move(out);
    return files;
}

const ExportFormat usdaFormat{
    .word = "usda",
    .label = "Camera and scene, OpenUSD",
    .fileName = "camera.usda",
    .write = usdaFiles,
    .read = readUsdaScene,
    .lacks =
        [](const SceneExport& s) {
            std::string out = s.lens.isZero() ? "" : text("lens distortion (only its numbers, on the camera)");
            const bool keyed =
                std::any_of(s.things.begin(), s.things.end(), [](const Thing& t) { return !t.keys.empty(); });
            if (keyed) out += (out.empty() ? "" : ", ") + text("keys of things (a sample a frame instead)");
            return out;
        },
    .holdsVisibility = true,
    .byDefault = true,
};

}  // namespace va
