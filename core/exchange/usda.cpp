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

/// The same with a scale.
std::string matrix(const Similarity& s) { return matrix(s.scale * s.rotation.toRotationMatrix(), s.translation); }

/// The body of a UsdGeomMesh: flat faces, counter-clockwise from outside, as its default orientation has it. Each face
/// has the colour of its material.
std::string mesh(const Shape& shape, const Eigen::Vector4d& colour, const std::string& in) {
    std::string points, counts, indices, colours;
    for (const Eigen::Vector3d& v : shape.vertices)
        points += formatted("%s(%.9g, %.9g, %.9g)", points.empty() ? "" : ", ", v.x(), v.y(), v.z());
    for (const int n : shape.counts) counts += formatted("%s%d", counts.empty() ? "" : ", ", n);
    for (const int i : shape.corners) indices += formatted("%s%d", indices.empty() ? "" : ", ", i);
    const auto colourOf = [&](size_t face) {
        const size_t m = shape.material.empty() ? 0 : size_t(shape.material[face]);
        return m < shape.materials.size() ? shape.materials[m].colour.value_or(colour) : colour;
    };
    const bool several = shape.materials.size() > 1;
    for (size_t f = 0; f < (several ? shape.faceCount() : std::min<size_t>(1, shape.faceCount())); ++f) {
        const Eigen::Vector4d c = colourOf(f);
        colours += formatted("%s(%.6g, %.6g, %.6g)", colours.empty() ? "" : ", ", c.x(), c.y(), c.z());
    }
    return in + "point3f[] points = [" + points + "]\n" + in + "int[] faceVertexCounts = [" + counts + "]\n" + in +
           "int[] faceVertexIndices = [" + indices + "]\n" + in + "uniform token subdivisionScheme = \"none\"\n" + in +
           "color3f[] primvars:displayColor = [" + colours + "] (\n" + in + "    interpolation = \"" +
           (several ? "uniform" : "constant") + "\"\n" + in + ")\n";
}

/// A thing and the things that hang on it, each in the axes of the one above.
void writeThing(const SceneExport& s, size_t index, const SceneExport::PlacedThing* parent,
                std::set<std::string>& taken, const std::string& in, std::string& out) {
    const SceneExport::PlacedThing& t = s.things[index];
    const Shape shape = shapeOf(t.kind);
    std::string values, texts, choices;
    for (const FieldValue& f : fieldsOf(t.kind)) values += formatted("%s%.17g", values.empty() ? "" : ", ", f.value);
    for (const TextValue& f : textsOf(t.kind)) texts += (texts.empty() ? "" : ", ") + usdString(f.value);
    for (const ChoiceValue& f : choicesOf(t.kind)) choices += formatted("%s%d", choices.empty() ? "" : ", ", f.value);
    const char* role = hasSurface(t.kind) ? "prop" : "anchor";
    const bool solid = shape.faceCount() > 0;
    // A mesh is no place for others to hang on: a transform is, with the mesh in it.
    out += "\n" + in + "def Xform \"" + primName(t.name, taken) + "\" (\n" + in + "    customData = {\n";
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
    if (solid)
        out += "\n" + in + "    def Mesh \"Shape\"\n" + in + "    {\n" + mesh(shape, t.colour, in + "        ") + in +
               "    }\n";
    std::set<std::string> below{"Shape"};
    for (size_t i = 0; i < s.things.size(); ++i)
        if (s.things[i].parentName == t.name && i != index) writeThing(s, i, &t, below, in + "    ", out);
    out += in + "}\n";
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
        if (!below) writeThing(s, i, nullptr, taken, "    ", out);
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

Similarity similarityFrom(const double* m) {
    Eigen::Matrix3d axes;
    for (int c = 0; c < 3; ++c)
        for (int r = 0; r < 3; ++r) axes(r, c) = m[4 * c + r];
    const double scale = std::cbrt(axes.determinant());
    return {scale, Eigen::Quaterniond(Eigen::Matrix3d(axes / scale)).normalized(), {m[12], m[13], m[14]}};
}

/// All strings between `from` and the closing bracket.
std::vector<std::string> stringsUntil(const std::string& text, size_t from) {
    std::vector<std::string> out;
    for (size_t i = from; i < text.size() && text[i] != ']'; ++i) {
        if (text[i] != '"') continue;
        std::string word;
        for (++i; i < text.size() && text[i] != '"'; ++i) {
            if (text[i] == '\\' && i + 1 < text.size()) ++i;
            word += text[i];
        }
        out.push_back(word);
    }
    return out;
}

/// Things in the order in which they are written: a parent before what hangs on it, whose places are in its axes.
void readThings(const UsdaScan& scan, const std::string& text, SceneExport& s, const SceneExport* ours) {
    const std::string words = "string role = \"";
    for (size_t at = text.find(words); at != std::string::npos; at = text.find(words, at + 1)) {
        const std::string role = scan.word(words, at);
        if (role != "anchor" && role != "prop") continue;
        const auto kind = kindNamed(scan.word("string kind = \"", at));
        if (!kind) scan.fail();
        SceneExport::PlacedThing t;
        t.id = int(s.things.size()) + 1;
        t.kind = *kind;
        t.name = scan.word("string label = \"", at);
        t.hangsOn = scan.word("string hangsOn = \"", at);
        t.parentName = scan.word("string parent = \"", at);
        const auto values = scan.numbersUntil(scan.after("double[] values = [", at), ']');
        for (size_t i = 0; i < values.size(); ++i)
            if (!setField(t.kind, i, values[i])) scan.fail();
        const auto texts = stringsUntil(text, scan.after("string[] texts = [", at));
        for (size_t i = 0; i < texts.size(); ++i)
            if (!setText(t.kind, i, texts[i])) scan.fail();
        const auto choices = scan.numbersUntil(scan.after("int[] choices = [", at), ']');
        for (size_t i = 0; i < choices.size(); ++i)
            if (!setChoice(t.kind, i, int(choices[i]))) scan.fail();
        const auto colour = scan.numbersUntil(scan.after("double4 colour = (", at), ')');
        if (colour.size() != 4) scan.fail();
        t.colour = Eigen::Vector4d::Map(colour.data());
        const SceneExport::PlacedThing* parent = nullptr;
        for (const auto& other : s.things)
            if (!t.parentName.empty() && other.name == t.parentName) parent = &other;
        const auto world = [&](const Similarity& own, int frame) {
            return parent ? parent->placeAt(frame).after(own) : own;
        };
        const size_t transform = scan.after("matrix4d xformOp:transform", at);
        if (text.compare(transform, 3, " = ") == 0) {
            const auto m = scan.numbersUntil(transform + 3, '\n');
            if (m.size() != 16) scan.fail();
            const Similarity place = world(similarityFrom(m.data()), s.frames.front().frame);
            t.position = place.translation, t.rotation = place.rotation, t.scale = place.scale;
            t.visible = scan.word("token visibility = \"", transform) == "inherited";
        } else {
            const auto m = scan.numbersUntil(scan.after(".timeSamples = {", transform), '}');
            size_t seen = scan.after("token visibility.timeSamples = {", transform);
            for (size_t i = 0; i + 16 < m.size(); i += 17) {
                const int frame = int(m[i]);
                seen = scan.after(": \"", seen);
                t.samples.push_back(
                    {frame, world(similarityFrom(&m[i + 1]), frame), text[seen] == 'i' && text[seen + 2] == 'h'});
            }
            if (t.samples.empty()) scan.fail();
            const auto& first = t.samples.front();
            t.position = first.place.translation, t.rotation = first.place.rotation, t.scale = first.place.scale;
            t.visible = first.visible;
        }
        // Keys have no place in the format: their samples do.
        if (ours)
            for (const auto& o : ours->things)
                if (o.name == t.name) t.keys = o.keys;
        s.things.push_back(std::move(t));
    }
}

}  // namespace

SceneExport readUsda(const std::string& text, const std::string& source, const SceneExport* ours) {
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
    if (const size_t at = text.find("int4 layeredFrame = ("); at != std::string::npos) {
        const auto frame = scan.numbersUntil(scan.after("int4 layeredFrame = (", at), ')');
        if (frame.size() != 4) scan.fail();
        s.layered = {int(frame[0]), int(frame[1]), int(frame[2]), int(frame[3]), {}};
        const auto lengths = scan.numbersUntil(scan.after("focalLength.timeSamples = {", at), '}');
        const auto places = scan.numbersUntil(scan.after("xformOp:transform.timeSamples = {", at), '}');
        if (places.size() / 17 != lengths.size() / 2) scan.fail();
        for (size_t i = 0; i + 16 < places.size(); i += 17) {
            const Similarity place = similarityFrom(&places[i + 1]);
            s.layered.frames.push_back(
                {int(places[i]),
                 {place.translation, place.rotation},
                 focalPxFromMm(lengths[i / 17 * 2 + 1], s.sensorWidthMm, s.width, s.pixelAspect)});
        }
    }
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
    readThings(scan, text, s, ours);
    return s;
}

const ExportFormat usdaFormat{
    "usda",
    "Camera and scene, OpenUSD",
    "camera.usda",
    writeUsda,
    [](const std::string& text, const std::string& source, const SceneExport& ours) {
        return readUsda(text, source, &ours);
    },
    [](const SceneExport& s) {
        std::string out = s.lens.isZero() ? "" : "lens distortion (only its numbers, in customLayerData)";
        const bool keyed =
            std::any_of(s.things.begin(), s.things.end(), [](const Thing& t) { return !t.keys.empty(); });
        if (keyed) out += (out.empty() ? "" : ", ") + text("keys of things (a sample a frame instead)");
        return out;
    },
};

}  // namespace va
