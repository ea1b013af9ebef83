// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/json_text.h"
#include "base/text.h"
#include "exchange/export_body.h"
#include "exchange/formats.h"
#include "exchange/open_track_io.h"

namespace va {
namespace {

using nlohmann::json;
using nlohmann::ordered_json;

constexpr const char* undistortedToDistorted = "Brown-Conrady U-D";

/// Right-handed, Z up, Y ahead where nothing is turned: world and camera axes turn by a quarter about X, so that a
/// camera that looks down −Z looks along +Y.
Eigen::Vector3d toStage(const Eigen::Vector3d& p) { return {p.x(), -p.z(), p.y()}; }
Eigen::Vector3d fromStage(const Eigen::Vector3d& p) { return {p.x(), p.z(), -p.y()}; }

/// Pan about Z, tilt about X, roll about Y: R = Rz(pan) Rx(tilt) Ry(roll) in stage axes.
Eigen::Vector3d panTiltRoll(const Eigen::Quaterniond& worldFromCamera) {
    // The same three turns in our axes are heading about Y, tilt about X and, reversed, roll about Z.
    const Eigen::Vector3d t = turnOf(worldFromCamera);
    return {t.y(), t.x(), -t.z()};
}
Eigen::Quaterniond fromPanTiltRoll(const Eigen::Vector3d& a) { return rotationOf({a.y(), a.x(), -a.z()}); }

/// An identity for each sample, the same for the same file: version 8 of RFC 9562, free to choose.
std::string identity(const SceneExport& s, int frame) {
    uint64_t h = 1469598103934665603ULL;
    const auto mix = [&](uint64_t v) {
        for (int i = 0; i < 8; ++i) h = (h ^ (v >> (8 * i) & 255)) * 1099511628211ULL;
        return h;
    };
    mix(uint64_t(s.width)), mix(uint64_t(s.frames.size())), mix(uint64_t(int64_t(frame)));
    const uint64_t a = mix(1), b = mix(2);
    return formatted("urn:uuid:%08x-%04x-8%03x-a%03x-%012llx", unsigned(a >> 32), unsigned(a >> 16 & 0xffff),
                     unsigned(a & 0xfff), unsigned(b >> 48 & 0xfff),
                     static_cast<unsigned long long>(b & 0xffffffffffffULL));
}

ordered_json timecode(const SceneExport& s, int frame) {
    const auto nominal = std::max<int64_t>(1, std::llround(s.rate.value()));
    const int64_t n = ((frame % (24 * 3600 * nominal)) + 24 * 3600 * nominal) % (24 * 3600 * nominal);
    return {{"hours", n / nominal / 3600},
            {"minutes", n / nominal / 60 % 60},
            {"seconds", n / nominal % 60},
            {"frames", n % nominal},
            {"frameRate", {{"num", s.rate.num}, {"denom", s.rate.den}}}};
}

/// How much larger the undistorted picture is. Nothing where this lens can't be taken out over the whole picture.
std::optional<double> overscanOf(const SceneExport& s) {
    if (s.lens.isZero()) return 1;
    try {
        const SceneExport larger = undistortedScene(s, Overscan::whole);
        return std::max(double(larger.width) / s.width, double(larger.height) / s.height);
    } catch (const Error&) {
        return std::nullopt;
    }
}

OutFiles writeSamples(const SceneExport& s) {
    ordered_json all = ordered_json::array();
    const double overscan = overscanOf(s).value_or(1);
    const SceneExport::Frame* first = nullptr;
    for (const auto& f : s.frames) {
        if (!f.solved) continue;
        if (!first) first = &f;
        const double seconds = (f.frame - first->frame) / s.rate.value();
        ordered_json o;
        o["protocol"] = {{"name", "OpenTrackIO"}, {"version", {1, 0, 0}}};
        o["sampleId"] = identity(s, f.frame);
        ordered_json& camera = o["static"]["camera"];
        camera["activeSensorPhysicalDimensions"] = {{"height", backHeightMm(s)}, {"width", s.sensorWidthMm}};
        camera["activeSensorResolution"] = {{"height", s.height}, {"width", s.width}};
        camera["captureFrameRate"] = {{"num", s.rate.num}, {"denom", s.rate.den}};
        const Rational squeeze = rateFrom(s.pixelAspect).value_or(Rational{1, 1});
        if (s.pixelAspect != 1) camera["anamorphicSqueeze"] = {{"num", squeeze.num}, {"denom", squeeze.den}};
        if (s.openShare > 0) camera["shutterAngle"] = 360 * s.openShare;
        o["timing"] = {
            {"mode", "internal"},
            {"sampleRate", {{"num", s.rate.num}, {"denom", s.rate.den}}},
            {"sampleTimestamp", {{"seconds", int64_t(seconds)}, {"nanoseconds", int64_t(std::fmod(seconds, 1) * 1e9)}}},
            {"sequenceNumber", (f.frame - first->frame) & 0xffff},
            {"timecode", timecode(s, f.frame)}};
        ordered_json& lens = o["lens"];
        lens["pinholeFocalLength"] = s.focalMm(f);
        const double mm = s.sensorWidthMm / s.width;
        lens["projectionOffset"] = {{"x", (s.principalPoint.x() - (s.width - 1) / 2.0) * mm},
                                    {"y", (s.principalPoint.y() - (s.height - 1) / 2.0) * backHeightMm(s) / s.height}};
        if (s.lens.kind() == LensKind::brownConrady) {
            const auto v = [&](const char* name) { return s.lens.value(name); };
            lens["distortion"] = ordered_json::array({{{"model", undistortedToDistorted},
                                                       {"radial", {v("k1"), v("k2"), v("k3")}},
                                                       {"tangential", {v("p1"), v("p2")}},
                                                       {"overscan", overscan}}});
        }
        const Eigen::Vector3d at = toStage(f.pose.position), turn = panTiltRoll(f.pose.worldFromCamera) / (M_PI / 180);
        o["transforms"] =
            ordered_json::array({{{"id", "Camera"},
                                  {"translation", {{"x", at.x()}, {"y", at.y()}, {"z", at.z()}}},
                                  {"rotation", {{"pan", turn.x()}, {"tilt", turn.y()}, {"roll", turn.z()}}}}});
        // What the description has no place for: others skip it.
        ordered_json& ours = o["vividAnchor"];
        ours["frame"] = f.frame;
        ours["metric"] = s.metric;
        ours["pixelAspect"] = s.pixelAspect;
        ours["lensModel"] = lensKindName(s.lens.kind());
        for (int i = 0; i < s.lens.count(); ++i)
            ours["lensValues"][lensValueNames(s.lens.kind())[size_t(i)]] = s.lens.value(i);
        all.push_back(std::move(o));
    }
    if (all.empty()) throw Error(text("There is no frame to export. Solve the shot first."));
    return {{"", dumpJson(all, 1) + "\n", ""}};
}

std::optional<double> numberAt(const json& j, const char* a, const char* b = nullptr) {
    if (!j.is_object()) return std::nullopt;
    const auto at = j.find(a);
    if (at == j.end()) return std::nullopt;
    if (b) return numberAt(*at, b);
    return at->is_number() ? std::optional(at->get<double>()) : std::nullopt;
}
std::optional<Rational> rationalAt(const json& j, const char* key) {
    if (!j.is_object() || !j.contains(key)) return std::nullopt;
    const auto num = numberAt(j, key, "num"), den = numberAt(j, key, "denom");
    return num && den && *num > 0 && *den > 0 ? std::optional(reduced(int64_t(*num), int64_t(*den))) : std::nullopt;
}

}  // namespace

ForeignScene readOpenTrackIo(const std::string& content, const std::string& source) {
    const auto fail = [&]() -> InputError {
        return InputError(text(
            "\"%s\" holds no OpenTrackIO samples of a camera. Take a list of samples, or one a line.", source.c_str()));
    };
    json all = json::parse(content, nullptr, false);
    if (all.is_discarded()) {
        // One sample a line.
        all = json::array();
        for (size_t at = 0; at < content.size();) {
            const size_t end = std::min(content.find('\n', at), content.size());
            if (end > at + 1) {
                json one = json::parse(content.substr(at, end - at), nullptr, false);
                if (one.is_discarded()) throw fail();
                all.push_back(std::move(one));
            }
            at = end + 1;
        }
    }
    if (all.is_object()) all = json::array({all});
    ForeignScene out;
    out.format = "opentrackio";
    out.zUp = false, out.axisSaid = true;
    out.metresPerUnit = 1;
    ForeignScene::Camera camera;
    camera.name = "Camera";
    const json none = json::object();
    const auto under = [&](const json& j, const char* key) -> const json& {
        return j.is_object() && j.contains(key) ? j.at(key) : none;
    };
    double count = 0;
    for (const json& o : all) {
        if (!o.is_object()) throw fail();
        const json& body = under(under(o, "static"), "camera");
        if (const auto w = numberAt(body, "activeSensorResolution", "width")) out.width = int(*w);
        if (const auto h = numberAt(body, "activeSensorResolution", "height")) out.height = int(*h);
        if (const auto w = numberAt(body, "activeSensorPhysicalDimensions", "width")) camera.backWidthMm = *w;
        if (const auto h = numberAt(body, "activeSensorPhysicalDimensions", "height")) camera.backHeightMm = *h;
        if (const auto r = rationalAt(body, "anamorphicSqueeze")) out.pixelAspect = r->value();
        const json& timing = under(o, "timing");
        auto rate = rationalAt(timing, "sampleRate");
        if (!rate) rate = rationalAt(body, "captureFrameRate");
        if (!rate) rate = rationalAt(under(timing, "timecode"), "frameRate");
        if (rate) out.rate = rate;
        ForeignScene::Frame f;
        const json& code = under(timing, "timecode");
        if (const auto n = numberAt(under(o, "vividAnchor"), "frame")) f.frame = *n, out.framesSaid = true;
        else if (const auto s = numberAt(code, "seconds"), in = numberAt(code, "frames"); s && in && rate)
            f.frame = (numberAt(code, "hours").value_or(0) * 3600 + numberAt(code, "minutes").value_or(0) * 60 + *s) *
                          std::round(rate->value()) +
                      *in;
        else f.frame = count;
        ++count;
        const json& lens = under(o, "lens");
        const auto focal = numberAt(lens, "pinholeFocalLength");
        // Transforms in a row, each in the axes of the one before.
        Eigen::Vector3d at(0, 0, 0);
        Eigen::Quaterniond turn = Eigen::Quaterniond::Identity();
        bool placed = false;
        for (const json& t : under(o, "transforms")) {
            const json &move = under(t, "translation"), &rotation = under(t, "rotation");
            const auto x = numberAt(move, "x"), y = numberAt(move, "y"), z = numberAt(move, "z");
            if (!x || !y || !z) continue;
            at += turn * fromStage({*x, *y, *z});
            turn = turn * fromPanTiltRoll(Eigen::Vector3d(numberAt(rotation, "pan").value_or(0),
                                                          numberAt(rotation, "tilt").value_or(0),
                                                          numberAt(rotation, "roll").value_or(0)) *
                                          (M_PI / 180));
            placed = true;
        }
        if (!focal || !(*focal > 0) || !placed) continue;
        f.pose = {at, turn.normalized()};
        f.focalMm = *focal;
        if (out.width && out.height && camera.backWidthMm > 0) {
            const double x = numberAt(lens, "projectionOffset", "x").value_or(0),
                         y = numberAt(lens, "projectionOffset", "y").value_or(0);
            camera.offsetMm = {-x, y};
        }
        const json& ours = under(o, "vividAnchor");
        if (ours.contains("pixelAspect")) out.pixelAspect = numberAt(ours, "pixelAspect");
        if (ours.contains("metric") && ours["metric"] == false) out.metresPerUnit.reset();
        if (ours.contains("lensModel") && ours["lensModel"].is_string()) {
            camera.lens = lensNamed(ours["lensModel"].get<std::string>(),
                                    [&](const char* key) { return numberAt(under(ours, "lensValues"), key); });
        } else if (const json& list = under(lens, "distortion"); list.is_array() && !list.empty()) {
            const json& d = list[0];
            if (d.is_object() && d.value("model", std::string()) == undistortedToDistorted) {
                std::array<double, 5> v{};
                const json &radial = under(d, "radial"), &tangential = under(d, "tangential");
                for (size_t i = 0; radial.is_array() && i < std::min<size_t>(3, radial.size()); ++i)
                    v[i] = radial[i].get<double>();
                for (size_t i = 0; tangential.is_array() && i < std::min<size_t>(2, tangential.size()); ++i)
                    v[3 + i] = tangential[i].get<double>();
                camera.lens = LensModel::brownConrady(v[0], v[1], v[2], v[3], v[4]);
            } else if (out.notes.empty()) {
                out.notes.push_back(
                    text("Its lens distorts by a model that is not known here: the distortion is left out."));
            }
        }
        camera.frames.push_back(f);
    }
    if (camera.frames.empty()) throw fail();
    std::stable_sort(camera.frames.begin(), camera.frames.end(),
                     [](const auto& a, const auto& b) { return a.frame < b.frame; });
    out.first = int(std::lround(camera.frames.front().frame)), out.last = int(std::lround(camera.frames.back().frame));
    out.cameras.push_back(std::move(camera));
    return out;
}

const ExportFormat openTrackIoFormat{
    .word = "opentrackio",
    .label = "Camera samples, OpenTrackIO",
    .fileName = "camera.opentrackio.json",
    .write = writeSamples,
    .read = readOpenTrackIo,
    .lacks = [](const SceneExport& s) -> std::string {
        std::string out = s.points.empty() ? "" : text("the cloud");
        if (!s.things.empty() || !s.movers.empty()) out += (out.empty() ? "" : ", ") + text("things and movers");
        if (s.lens.kind() != LensKind::brownConrady)
            out += (out.empty() ? "" : ", ") + text("this lens model (only as our own numbers)");
        if (!overscanOf(s)) out += (out.empty() ? "" : ", ") + text("the overscan (1 is written)");
        return out;
    },
    .holdsPoints = false,
    .holdsThings = false,
    .standardAxes = true,
};

}  // namespace va
