// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/collada_read.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <map>
#include <pugixml.hpp>
#include <set>

#include "base/error.h"
#include "base/text.h"

namespace va {
namespace {

constexpr int deepestNode = 100;

using Numbers = std::vector<double>;

/// Values over seconds.
struct Curve {
    Numbers times;
    std::vector<Numbers> values;
    [[nodiscard]] Numbers at(double t) const {
        const auto next = std::lower_bound(times.begin(), times.end(), t - 1e-9);
        const auto i = size_t(next - times.begin());
        if (i == 0) return values.front();
        if (i == times.size()) return values.back();
        const double share = std::min(1.0, (t - times[i - 1]) / (times[i] - times[i - 1]));
        Numbers out = values[i];
        for (size_t k = 0; k < out.size() && k < values[i - 1].size(); ++k)
            out[k] = share > 1 - 1e-9 ? out[k] : values[i - 1][k] + share * (out[k] - values[i - 1][k]);
        return out;
    }
};

class ColladaReader {
  public:
    ColladaReader(const pugi::xml_document& document, const std::string& source)
        : root_(document.child("COLLADA")), source_(source) {}

    ForeignScene read() {
        if (!root_) fail();
        out_.format = "dae";
        facts();
        out_.between = !out_.framesSaid;
        index(root_, 0);
        animations();
        rate();
        const auto scene = byUrl(root_.child("scene").child("instance_visual_scene").attribute("url").value());
        for (const pugi::xml_node& n :
             scene ? scene.children("node")
                   : root_.child("library_visual_scenes").child("visual_scene").children("node"))
            visit(n, {});
        return std::move(out_);
    }

  private:
    using Chain = std::vector<pugi::xml_node>;

    [[noreturn]] void fail() const {
        throw InputError(text("\"%s\" is no whole COLLADA document. Write it again.", source_.c_str()));
    }
    Numbers numbers(const char* words) const {
        Numbers out;
        const char *at = words, *end = words + std::strlen(words);
        while (at < end) {
            while (at < end && std::isspace(static_cast<unsigned char>(*at))) ++at;
            if (at == end) break;
            if (*at == '+') ++at;
            double v = 0;
            const auto [next, trouble] = std::from_chars(at, end, v);
            if (trouble != std::errc() || !std::isfinite(v)) fail();
            out.push_back(v);
            at = next;
        }
        return out;
    }
    void facts() {
        const pugi::xml_node asset = root_.child("asset");
        if (const auto axis = asset.child("up_axis")) {
            const std::string word = axis.text().get();
            out_.axisSaid = true;
            out_.zUp = word == "Z_UP";
            if (word == "X_UP") out_.notes.push_back(text("Its X axis is up: it is taken as Y up. Turn it there."));
        }
        if (const auto unit = asset.child("unit"); unit && std::strcmp(unit.attribute("name").value(), "scene") != 0)
            if (const auto metre = numbers(unit.attribute("meter").value()); metre.size() == 1 && metre[0] > 0)
                out_.metresPerUnit = metre[0];
        for (const pugi::xml_node& t : asset.child("extra").children("technique")) {
            if (std::strcmp(t.attribute("profile").value(), "VividAnchor") != 0) continue;
            const auto number = [&](const char* key) { return numbers(t.child(key).text().get()); };
            const auto one = [&](const char* key) -> std::optional<double> {
                const Numbers v = number(key);
                return v.size() == 1 ? std::optional(v[0]) : std::nullopt;
            };
            if (const auto v = one("first_frame")) first_ = *v, out_.first = int(*v), out_.framesSaid = true;
            if (const auto v = one("last_frame")) out_.last = int(*v);
            if (const auto n = one("rate_num"), d = one("rate_den"); n && d && *n > 0 && *d > 0)
                out_.rate = reduced(int64_t(*n), int64_t(*d));
            if (const auto v = one("width")) out_.width = int(*v);
            if (const auto v = one("height")) out_.height = int(*v);
            out_.pixelAspect = one("pixel_aspect");
            backWidth_ = one("back_width_mm");
            if (const auto model = t.child("lens_model"))
                lens_ = lensNamed(model.text().get(),
                                  [&](const char* key) { return one(("lens_" + std::string(key)).c_str()); });
            if (const Numbers f = number("frame"); f.size() == 4) frameOf_ = {f[0], f[1], f[2], f[3]};
        }
    }
    void index(const pugi::xml_node& n, int depth) {
        if (depth > deepestNode) fail();
        for (const pugi::xml_node& c : n.children()) {
            if (const auto id = c.attribute("id")) ids_[id.value()] = c;
            index(c, depth + 1);
        }
    }
    pugi::xml_node byUrl(const std::string& url) const {
        const auto found = ids_.find(url.starts_with("#") ? url.substr(1) : url);
        return found == ids_.end() ? pugi::xml_node() : found->second;
    }
    /// The numbers of a source, and how many make one value.
    std::pair<Numbers, size_t> sourceNumbers(const std::string& url) const {
        pugi::xml_node source = byUrl(url);
        // Positions are reached through the vertices.
        if (std::strcmp(source.name(), "vertices") == 0)
            for (const pugi::xml_node& i : source.children("input"))
                if (std::strcmp(i.attribute("semantic").value(), "POSITION") == 0)
                    source = byUrl(i.attribute("source").value());
        const auto stride =
            size_t(std::max(1, source.child("technique_common").child("accessor").attribute("stride").as_int(1)));
        return {numbers(source.child("float_array").text().get()), stride};
    }
    void animations() {
        for (const auto& [id, n] : ids_)
            if (std::strcmp(n.name(), "animation") == 0) channelsOf(n);
        for (const pugi::xml_node& n : root_.child("library_animations").children("animation"))
            if (!n.attribute("id")) channelsOf(n);
    }
    void channelsOf(const pugi::xml_node& n) {
        for (const pugi::xml_node& channel : n.children("channel")) {
            const pugi::xml_node sampler = byUrl(channel.attribute("source").value());
            std::string in, out;
            for (const pugi::xml_node& i : sampler.children("input")) {
                const std::string semantic = i.attribute("semantic").value();
                if (semantic == "INPUT") in = i.attribute("source").value();
                if (semantic == "OUTPUT") out = i.attribute("source").value();
            }
            Curve curve;
            curve.times = sourceNumbers(in).first;
            const auto [values, width] = sourceNumbers(out);
            if (curve.times.empty() || values.size() < width * curve.times.size()) fail();
            for (size_t i = 0; i < curve.times.size(); ++i)
                curve.values.emplace_back(values.begin() + long(i * width), values.begin() + long((i + 1) * width));
            curves_[channel.attribute("target").value()] = std::move(curve);
        }
    }
    void rate() {
        if (out_.rate) return;
        std::set<double> times;
        for (const auto& [target, c] : curves_) times.insert(c.times.begin(), c.times.end());
        if (times.size() < 2) return;
        std::vector<double> steps;
        for (auto t = std::next(times.begin()); t != times.end(); ++t) steps.push_back(*t - *std::prev(t));
        std::nth_element(steps.begin(), steps.begin() + long(steps.size() / 2), steps.end());
        const double step = steps[steps.size() / 2], span = *times.rbegin() - *times.begin(),
                     count = std::round(span / step);
        if (step > 1e-6) out_.rate = rateFrom(count > 0 ? count / span : 1 / step);
    }
    [[nodiscard]] double frameOf(double seconds) const {
        const double f = first_ + seconds * (out_.rate ? out_.rate->value() : 1);
        return std::fabs(f - std::round(f)) < 0.01 ? std::round(f) : f;
    }

    /// A transform element at a time: animated as a whole ("node/sid"), or by a part of it ("node/sid.X").
    Numbers valueAt(const pugi::xml_node& node, const pugi::xml_node& element, double t) const {
        Numbers v = numbers(element.text().get());
        const std::string target = std::string(node.attribute("id").value()) + "/" + element.attribute("sid").value();
        if (const auto c = curves_.find(target); c != curves_.end()) v = c->second.at(t);
        for (const auto& [part, index] :
             {std::pair(".X", 0), std::pair(".Y", 1), std::pair(".Z", 2), std::pair(".ANGLE", 3)})
            if (const auto c = curves_.find(target + part); c != curves_.end() && size_t(index) < v.size())
                v[size_t(index)] = c->second.at(t)[0];
        return v;
    }
    Eigen::Matrix4d localAt(const pugi::xml_node& node, double t) const {
        Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
        for (const pugi::xml_node& e : node.children()) {
            const std::string kind = e.name();
            if (kind != "matrix" && kind != "translate" && kind != "rotate" && kind != "scale" && kind != "lookat")
                continue;
            const Numbers v = valueAt(node, e, t);
            Eigen::Matrix4d one = Eigen::Matrix4d::Identity();
            if (kind == "matrix") {
                if (v.size() != 16) fail();
                for (int r = 0; r < 4; ++r)
                    for (int c = 0; c < 4; ++c) one(r, c) = v[size_t(4 * r + c)];
            } else if (kind == "translate") {
                if (v.size() != 3) fail();
                one.topRightCorner<3, 1>() = Eigen::Vector3d(v[0], v[1], v[2]);
            } else if (kind == "scale") {
                if (v.size() != 3) fail();
                for (int k = 0; k < 3; ++k) one(k, k) = v[size_t(k)];
            } else if (kind == "rotate") {
                if (v.size() != 4) fail();
                const Eigen::Vector3d axis(v[0], v[1], v[2]);
                if (axis.norm() > 0)
                    one.topLeftCorner<3, 3>() =
                        Eigen::AngleAxisd(v[3] * (M_PI / 180), axis.normalized()).toRotationMatrix();
            } else {
                if (v.size() != 9) fail();
                const Eigen::Vector3d eye(v[0], v[1], v[2]), to(v[3], v[4], v[5]), up(v[6], v[7], v[8]);
                const Eigen::Vector3d back = (eye - to).normalized(), right = up.cross(back).normalized();
                one.col(0).head<3>() = right, one.col(1).head<3>() = back.cross(right), one.col(2).head<3>() = back;
                one.topRightCorner<3, 1>() = eye;
            }
            m = m * one;
        }
        return m;
    }
    Eigen::Matrix4d placeAt(const Chain& chain, double t) const {
        Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
        for (const auto& n : chain) m = m * localAt(n, t);
        return m;
    }
    std::set<double> timesOf(const std::string& id) const {
        std::set<double> out;
        for (auto c = curves_.lower_bound(id + "/"); c != curves_.end() && c->first.starts_with(id + "/"); ++c)
            out.insert(c->second.times.begin(), c->second.times.end());
        return out;
    }
    std::set<double> timesOf(const Chain& chain) const {
        std::set<double> out;
        for (const auto& n : chain)
            if (const std::string id = n.attribute("id").value(); !id.empty()) out.merge(timesOf(id));
        return out;
    }
    static std::string nameOf(const pugi::xml_node& n) {
        return n.attribute("name") ? n.attribute("name").value() : n.attribute("id").value();
    }

    void visit(const pugi::xml_node& n, Chain chain) {
        if (chain.size() > size_t(deepestNode)) fail();
        chain.push_back(n);
        bool taken = false;
        for (const pugi::xml_node& i : n.children("instance_camera"))
            camera(byUrl(i.attribute("url").value()), chain), taken = true;
        ForeignScene::Body b;
        for (const pugi::xml_node& i : n.children("instance_geometry")) geometry(byUrl(i.attribute("url").value()), b);
        const bool joint = std::strcmp(n.attribute("type").value(), "JOINT") == 0;
        if (!taken && !joint && (!b.vertices.empty() || !n.child("node"))) {
            b.name = nameOf(n);
            for (size_t up = chain.size() - 1; up-- > 0 && b.parent.empty();) b.parent = nameOf(chain[up]);
            const std::set<double> times = timesOf(chain);
            if (times.empty()) b.samples.push_back({first_, placeAt(chain, 0), true});
            for (const double t : times) b.samples.push_back({frameOf(t), placeAt(chain, t), true});
            out_.bodies.push_back(std::move(b));
        }
        for (const pugi::xml_node& c : n.children("node")) visit(c, chain);
        for (const pugi::xml_node& i : n.children("instance_node"))
            if (const auto c = byUrl(i.attribute("url").value()); c && chain.size() < 20) visit(c, chain);
    }

    void camera(const pugi::xml_node& element, const Chain& chain) {
        const pugi::xml_node lens = element.child("optics").child("technique_common").child("perspective");
        ForeignScene::Camera c;
        c.name = nameOf(chain.back());
        if (!lens) {
            out_.notes.push_back(text("The camera \"%s\" has no perspective: it is left out.", c.name.c_str()));
            return;
        }
        std::set<double> times = timesOf(chain);
        times.merge(timesOf(element.attribute("id").value()));
        if (times.empty()) times.insert(0);
        const auto value = [&](const char* key, double t) -> double {
            const pugi::xml_node e = lens.child(key);
            if (!e) return 0;
            Numbers v = numbers(e.text().get());
            const std::string id = element.attribute("id").value();
            for (const std::string& sid : {std::string(e.attribute("sid").value()), std::string(key)})
                if (const auto found = curves_.find(id + "/" + sid); found != curves_.end()) v = found->second.at(t);
            return v.empty() ? 0 : v[0];
        };
        c.angleOnly = !backWidth_;
        c.backWidthMm = backWidth_.value_or(guessedBackMm);
        if (frameOf_) c.frameOf = frameOf_;
        c.lens = lens_;
        const double aspect = value("aspect_ratio", *times.begin()) > 0 ? value("aspect_ratio", *times.begin())
                              : out_.width && out_.height               ? double(*out_.width) / *out_.height
                                                                        : 0;
        for (const double t : times) {
            const double across = value("xfov", t), high = value("yfov", t);
            double wide = across > 0 ? std::tan(across * (M_PI / 180) / 2) : 0;
            if (!(wide > 0) && high > 0) wide = std::tan(high * (M_PI / 180) / 2) * (aspect > 0 ? aspect : 1);
            if (!(wide > 0) || !std::isfinite(wide)) {
                out_.notes.push_back(text("The camera \"%s\" has no angle of view: it is left out.", c.name.c_str()));
                return;
            }
            // With both angles the shape of the picture follows.
            if (across > 0 && high > 0) c.backHeightMm = c.backWidthMm * std::tan(high * (M_PI / 180) / 2) / wide;
            else if (aspect > 0) c.backHeightMm = c.backWidthMm / aspect;
            c.frames.push_back({frameOf(t), poseOf(placeAt(chain, t)), c.backWidthMm / 2 / wide});
        }
        out_.cameras.push_back(std::move(c));
    }

    void geometry(const pugi::xml_node& element, ForeignScene::Body& b) const {
        const pugi::xml_node mesh = element.child("mesh");
        const pugi::xml_node vertices = mesh.child("vertices");
        if (!vertices) return;
        const auto [xyz, stride] = sourceNumbers(std::string("#") + vertices.attribute("id").value());
        if (stride < 3 || xyz.size() % stride != 0) fail();
        const auto from = int(b.vertices.size());
        for (size_t i = 0; i + 2 < xyz.size(); i += stride) b.vertices.emplace_back(xyz[i], xyz[i + 1], xyz[i + 2]);
        for (const char* kind : {"triangles", "polylist", "polygons"})
            for (const pugi::xml_node& faces : mesh.children(kind)) {
                int offset = 0, width = 1;
                for (const pugi::xml_node& i : faces.children("input")) {
                    width = std::max(width, i.attribute("offset").as_int() + 1);
                    if (std::strcmp(i.attribute("semantic").value(), "VERTEX") == 0)
                        offset = i.attribute("offset").as_int();
                }
                Numbers counts = numbers(faces.child("vcount").text().get());
                for (const pugi::xml_node& list : faces.children("p")) {
                    const Numbers index = numbers(list.text().get());
                    const size_t corners = index.size() / size_t(width);
                    Numbers sides = counts;
                    if (std::strcmp(kind, "triangles") == 0) sides.assign(corners / 3, 3);
                    if (std::strcmp(kind, "polygons") == 0) sides.assign(1, double(corners));
                    size_t at = 0;
                    for (const double n : sides) {
                        if (!(n >= 0) || at + size_t(n) > corners) fail();
                        const auto corner = [&](size_t i) {
                            const double v = index[(at + i) * size_t(width) + size_t(offset)];
                            if (!(v >= 0 && v < double(b.vertices.size()) - from)) fail();
                            return from + int(v);
                        };
                        for (size_t i = 2; i < size_t(n); ++i)
                            b.triangles.push_back({corner(0), corner(i - 1), corner(i)});
                        at += size_t(n);
                    }
                }
            }
    }

    pugi::xml_node root_;
    const std::string& source_;
    ForeignScene out_;
    std::map<std::string, pugi::xml_node> ids_;
    std::map<std::string, Curve> curves_;
    std::optional<double> backWidth_;
    std::optional<LensModel> lens_;
    std::optional<std::array<double, 4>> frameOf_;
    double first_ = 0;
};

}  // namespace

ForeignScene readColladaScene(const std::string& content, const std::string& source) {
    pugi::xml_document document;
    if (!document.load_buffer(content.data(), content.size()))
        throw InputError(text("\"%s\" is no whole COLLADA document. Write it again.", source.c_str()));
    return ColladaReader(document, source).read();
}

}  // namespace va
