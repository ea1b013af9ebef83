// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/usda_read.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "base/error.h"
#include "base/text.h"
#include "exchange/usda_text.h"

namespace va {
namespace {

/// The value at a time code: numbers go evenly between samples, anything else holds.
UsdValue valueAt(const UsdProperty& p, double time) {
    if (p.samples.empty()) return p.value;
    const auto next = std::lower_bound(p.samples.begin(), p.samples.end(), time - 1e-9,
                                       [](const auto& s, double t) { return s.first < t; });
    if (next == p.samples.begin()) return next->second;
    if (next == p.samples.end()) return std::prev(next)->second;
    const auto& [t0, a] = *std::prev(next);
    const auto& [t1, b] = *next;
    if (t1 - time < 1e-9 || a.kind != UsdValue::Kind::numbers || a.numbers.size() != b.numbers.size())
        return t1 - time < 1e-9 ? b : a;
    UsdValue out = a;
    const double share = (time - t0) / (t1 - t0);
    for (size_t i = 0; i < out.numbers.size(); ++i) out.numbers[i] += share * (b.numbers[i] - a.numbers[i]);
    return out;
}

/// One transform op; columns are axes here, rows there.
Eigen::Matrix4d opMatrix(const std::string& op, const std::vector<double>& v) {
    Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
    std::string kind = op.substr(8);  // after "xformOp:"
    kind = kind.substr(0, kind.find(':'));
    const auto turn = [](int axis, double degrees) {
        return Eigen::AngleAxisd(degrees * (M_PI / 180), Eigen::Vector3d::Unit(axis)).toRotationMatrix();
    };
    if (kind == "transform" && v.size() == 16) {
        for (int r = 0; r < 4; ++r)
            for (int c = 0; c < 4; ++c) m(r, c) = v[size_t(4 * c + r)];
    } else if (kind == "translate" && v.size() == 3) {
        m.topRightCorner<3, 1>() = Eigen::Vector3d(v[0], v[1], v[2]);
    } else if (kind == "scale" && v.size() == 3) {
        for (int k = 0; k < 3; ++k) m(k, k) = v[size_t(k)];
    } else if (kind == "orient" && v.size() == 4) {
        m.topLeftCorner<3, 3>() = Eigen::Quaterniond(v[0], v[1], v[2], v[3]).normalized().toRotationMatrix();
    } else if (kind.starts_with("rotate") && kind.size() == 7 && v.size() == 1) {
        m.topLeftCorner<3, 3>() = turn(kind[6] - 'X', v[0]);
    } else if (kind.starts_with("rotate") && kind.size() == 9 && v.size() == 3) {
        // rotateXYZ turns about X first.
        Eigen::Matrix3d r = Eigen::Matrix3d::Identity();
        for (size_t k = 6; k < 9; ++k) {
            const int axis = kind[k] - 'X';
            if (axis < 0 || axis > 2) return m;
            r = turn(axis, v[size_t(axis)]) * r;
        }
        m.topLeftCorner<3, 3>() = r;
    }
    return m;
}

class SceneReader {
  public:
    SceneReader(const UsdLayer& layer, const std::string& source) : layer_(layer), source_(source) {}

    ForeignScene read() {
        out_.format = "usda";
        out_.framesSaid = true;
        facts();
        for (const auto& p : layer_.prims) visit(*p, {});
        if (refers_)
            out_.notes.push_back(
                text("It refers to other files, which are not followed. Save the stage flattened to get "
                     "all of it."));
        return std::move(out_);
    }

  private:
    using Chain = std::vector<const UsdPrim*>;

    void facts() {
        const UsdValue& m = layer_.metadata;
        if (const auto* v = m.entry("upAxis")) out_.zUp = v->word() == "Z", out_.axisSaid = true;
        if (const auto* v = m.entry("metersPerUnit")) out_.metresPerUnit = v->number(0.01);
        if (const auto* v = m.entry("startTimeCode")) out_.first = int(std::lround(v->number()));
        if (const auto* v = m.entry("endTimeCode")) out_.last = int(std::lround(v->number()));
        // Time codes are frames where both rates are the same, as they nearly always are.
        for (const char* key : {"framesPerSecond", "timeCodesPerSecond"})
            if (const auto* v = m.entry(key)) out_.rate = rateFrom(v->number());
        if (m.entry("subLayers")) refers_ = true;
        out_.between = true;
        const UsdValue* custom = m.entry("customLayerData");
        const UsdValue* ours = custom ? custom->entry("vividAnchor") : nullptr;
        if (!ours) return;
        out_.between = false;  // ours has a sample in every frame that has a camera
        const auto number = [&](const char* key) -> std::optional<double> {
            const UsdValue* v = ours->entry(key);
            return v && !v->numbers.empty() ? std::optional(v->numbers[0]) : std::nullopt;
        };
        if (const auto w = number("imageWidth")) out_.width = int(*w);
        if (const auto h = number("imageHeight")) out_.height = int(*h);
        out_.pixelAspect = number("pixelAspect");
        const auto num = number("frameRateNum"), den = number("frameRateDen");
        if (num && den && *num > 0 && *den > 0) {
            const Rational exact = reduced(int64_t(*num), int64_t(*den));
            // A stage that was stretched since then goes by its own rate.
            if (!out_.rate || std::fabs(exact.value() / out_.rate->value() - 1) < 1e-5) out_.rate = exact;
        }
        if (const auto* scene = ours->entry("unit"); scene && scene->word() == "scene") out_.metresPerUnit.reset();
        if (const auto* model = ours->entry("lensModel")) lens_ = lensNamed(model->word(), number);
    }

    static std::vector<std::string> opsOf(const UsdPrim& p) {
        const UsdProperty* order = p.property("xformOpOrder");
        return order ? order->value.words : std::vector<std::string>();
    }
    static Eigen::Matrix4d localAt(const UsdPrim& p, double time, bool& resets) {
        Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
        for (std::string op : opsOf(p)) {
            if (op == "!resetXformStack!") {
                resets = true;
                m.setIdentity();
                continue;
            }
            const bool inverted = op.starts_with("!invert!");
            if (inverted) op = op.substr(8);
            const UsdProperty* value = p.property(op);
            if (!value || !op.starts_with("xformOp:")) continue;
            const Eigen::Matrix4d one = opMatrix(op, valueAt(*value, time).numbers);
            m = m * (inverted ? Eigen::Matrix4d(one.inverse()) : one);
        }
        return m;
    }
    static Eigen::Matrix4d placeAt(const Chain& chain, double time) {
        Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
        for (const UsdPrim* p : chain) {
            bool resets = false;
            const Eigen::Matrix4d local = localAt(*p, time, resets);
            m = resets ? local : Eigen::Matrix4d(m * local);
        }
        return m;
    }
    static bool visibleAt(const Chain& chain, double time) {
        return std::none_of(chain.begin(), chain.end(), [&](const UsdPrim* p) {
            const UsdProperty* v = p->property("visibility");
            if (!v) return false;
            // Words hold from their sample on.
            std::string now = v->value.word();
            for (const auto& [t, value] : v->samples)
                if (t <= time + 1e-9 || t == v->samples.front().first) now = value.word();
            return now == "invisible";
        });
    }
    static void timesOf(const UsdProperty* p, std::set<double>& times) {
        if (p)
            for (const auto& s : p->samples) times.insert(s.first);
    }
    std::set<double> timesOf(const Chain& chain) const {
        std::set<double> times;
        for (const UsdPrim* p : chain) {
            for (const auto& [name, property] : p->properties)
                if (name.starts_with("xformOp:")) timesOf(&property, times);
            timesOf(p->property("visibility"), times);
        }
        return times;
    }
    [[nodiscard]] double firstTime() const { return out_.first.value_or(0); }

    void visit(const UsdPrim& p, Chain chain) {
        if (p.specifier == "class") return;
        if (const auto* active = p.metadata.entry("active"); active && active->number(1) == 0) return;
        if (p.metadata.entry("references") || p.metadata.entry("payload") || p.metadata.entry("inherits"))
            refers_ = true;
        chain.push_back(&p);
        if (p.type == "Camera") camera(p, chain);
        else if (p.type == "Points") points(p, chain);
        else if (p.type == "Mesh") mesh(p, chain);
        else if (p.type == "RenderSettings") renderSettings(p);
        else if (p.type == "Xform" && chain.size() > 1) mark(p, chain);
        for (const auto& child : p.children) visit(*child, chain);
    }

    void renderSettings(const UsdPrim& p) {
        if (out_.width) return;
        if (const auto* r = p.property("resolution"); r && r->value.numbers.size() == 2)
            out_.width = int(r->value.numbers[0]), out_.height = int(r->value.numbers[1]);
        if (const auto* a = p.property("pixelAspectRatio")) out_.pixelAspect = a->value.number(1);
    }

    void camera(const UsdPrim& p, const Chain& chain) {
        ForeignScene::Camera c;
        c.name = p.name;
        std::set<double> times = timesOf(chain);
        const UsdProperty* focal = p.property("focalLength");
        timesOf(focal, times);
        if (times.empty()) times.insert(firstTime());
        const auto number = [&](const char* key, double otherwise) {
            const UsdProperty* v = p.property(key);
            return v ? valueAt(*v, *times.begin()).number(otherwise) : otherwise;
        };
        // What the schema has where nothing is said.
        c.backWidthMm = number("horizontalAperture", 20.955);
        c.backHeightMm = number("verticalAperture", 15.2908);
        c.offsetMm = {number("horizontalApertureOffset", 0), number("verticalApertureOffset", 0)};
        if (const auto* data = p.metadata.entry("customData"))
            if (const auto* frame = data->entry("layeredFrame"); frame && frame->numbers.size() == 4)
                c.frameOf = {frame->numbers[0], frame->numbers[1], frame->numbers[2], frame->numbers[3]};
        if (!c.frameOf) c.lens = lens_;
        for (const double t : times)
            c.frames.push_back({t, poseOf(placeAt(chain, t)), focal ? valueAt(*focal, t).number(50) : 50});
        out_.cameras.push_back(std::move(c));
    }

    /// The name that people gave it.
    static std::string labelOf(const UsdPrim& p) {
        if (const auto* data = p.metadata.entry("customData"))
            if (const auto* label = data->entry("label")) return label->word();
        if (const auto* name = p.metadata.entry("displayName")) return name->word();
        return p.name;
    }
    static bool isBody(const UsdPrim& p) { return p.type == "Xform" || p.type == "Mesh" || p.type == "Points"; }

    ForeignScene::Body body(const UsdPrim& p, const Chain& chain) const {
        ForeignScene::Body b;
        // A shape within its transform is that thing itself.
        size_t own = chain.size() - 1;
        if ((p.name == "Shape" || p.name == "Points") && own > 0 && chain[own - 1]->type == "Xform" && own > 1) --own;
        b.name = labelOf(*chain[own]);
        for (size_t up = own; up-- > 1;)
            if (isBody(*chain[up])) {
                b.parent = labelOf(*chain[up]);
                break;
            }
        const std::set<double> times = timesOf(chain);
        if (times.empty())
            b.samples.push_back({firstTime(), placeAt(chain, firstTime()), visibleAt(chain, firstTime())});
        for (const double t : times) b.samples.push_back({t, placeAt(chain, t), visibleAt(chain, t)});
        if (const auto* data = chain[own]->metadata.entry("customData")) b.kind = kindFrom(*data);
        if (const auto* data = chain[own]->metadata.entry("customData"))
            if (const auto* colour = data->entry("colour"); colour && colour->numbers.size() == 4)
                b.colour = Eigen::Vector4d::Map(colour->numbers.data());
        return b;
    }
    static std::optional<ThingKind> kindFrom(const UsdValue& data) {
        const auto* word = data.entry("kind");
        auto kind = word ? kindNamed(word->word()) : std::nullopt;
        if (!kind) return std::nullopt;
        if (const auto* values = data.entry("values"))
            for (size_t i = 0; i < values->numbers.size(); ++i) (void)setField(*kind, i, values->numbers[i]);
        if (const auto* texts = data.entry("texts"))
            for (size_t i = 0; i < texts->words.size(); ++i) (void)setText(*kind, i, texts->words[i]);
        if (const auto* choices = data.entry("choices"))
            for (size_t i = 0; i < choices->numbers.size(); ++i) (void)setChoice(*kind, i, int(choices->numbers[i]));
        return kind;
    }

    [[nodiscard]] std::vector<Eigen::Vector3d> vectors(const UsdProperty* p) const {
        std::vector<Eigen::Vector3d> out;
        if (!p) return out;
        const std::vector<double>& v = p->samples.empty() ? p->value.numbers : p->samples.front().second.numbers;
        if (v.size() % 3 != 0) fail();
        out.reserve(v.size() / 3);
        for (size_t i = 0; i < v.size(); i += 3) out.emplace_back(v[i], v[i + 1], v[i + 2]);
        for (const auto& x : out)
            if (!x.allFinite()) fail();
        return out;
    }
    [[noreturn]] void fail() const {
        throw InputError(
            text("\"%s\" holds points or faces that are no whole numbers. Write it again.", source_.c_str()));
    }

    void points(const UsdPrim& p, const Chain& chain) {
        const std::vector<Eigen::Vector3d> own = vectors(p.property("points"));
        if (!timesOf(chain).empty()) {
            ForeignScene::Body b = body(p, chain);
            b.vertices = own;
            out_.bodies.push_back(std::move(b));
            return;
        }
        const Eigen::Matrix4d place = placeAt(chain, firstTime());
        const UsdProperty* ids = p.property("ids");
        for (size_t i = 0; i < own.size(); ++i) {
            const int id =
                ids && i < ids->value.numbers.size() ? int(ids->value.numbers[i]) : int(out_.points.size()) + 1;
            out_.points.push_back({id, place.topLeftCorner<3, 3>() * own[i] + place.topRightCorner<3, 1>()});
        }
    }

    void mesh(const UsdPrim& p, const Chain& chain) {
        ForeignScene::Body b = body(p, chain);
        b.vertices = vectors(p.property("points"));
        const UsdProperty *counts = p.property("faceVertexCounts"), *corners = p.property("faceVertexIndices");
        size_t at = 0;
        for (const double n : counts ? counts->value.numbers : std::vector<double>()) {
            const auto sides = size_t(std::clamp(n, 0.0, 1e6));
            if (!corners || at + sides > corners->value.numbers.size()) fail();
            const auto corner = [&](size_t i) {
                const double v = corners->value.numbers[at + i];
                if (!(v >= 0 && v < double(b.vertices.size()))) fail();
                return int(v);
            };
            for (size_t i = 2; i < sides; ++i) b.triangles.push_back({corner(0), corner(i - 1), corner(i)});
            at += sides;
        }
        if (!b.colour)
            if (const auto* c = p.property("primvars:displayColor"); c && c->value.numbers.size() >= 3)
                b.colour = Eigen::Vector4d(c->value.numbers[0], c->value.numbers[1], c->value.numbers[2], 1);
        out_.bodies.push_back(std::move(b));
    }

    /// A transform without geometry right below it.
    void mark(const UsdPrim& p, const Chain& chain) {
        const bool holds = std::any_of(p.children.begin(), p.children.end(), [](const auto& c) {
            return c->type == "Mesh" || c->type == "Points" || c->type == "Camera";
        });
        if (!holds) out_.bodies.push_back(body(p, chain));
    }

    const UsdLayer& layer_;
    const std::string& source_;
    ForeignScene out_;
    std::optional<LensModel> lens_;
    bool refers_ = false;
};

}  // namespace

ForeignScene readUsdaScene(const std::string& content, const std::string& source) {
    const UsdLayer layer = readUsdaLayer(content, source);
    return SceneReader(layer, source).read();
}

}  // namespace va
