// SPDX-License-Identifier: GPL-3.0-or-later
#include "layout/glyphs.h"

#include <GL/glu.h>
#include <fontconfig/fontconfig.h>
#include <ft2build.h>
#include FT_FREETYPE_H
#include FT_OUTLINE_H

#include <algorithm>
#include <cmath>
#include <deque>
#include <map>
#include <memory>
#include <mutex>
#include <set>

#include "base/text.h"

// The bytes of the font that comes with the program.
// clang-format off
asm(".section .rodata\n"
    ".global vaShippedFont\n.global vaShippedFontEnd\n"
    "vaShippedFont:\n.incbin \"" VA_SHIPPED_FONT "\"\n"
    "vaShippedFontEnd:\n.byte 0\n.previous\n");
// clang-format on
extern "C" const unsigned char vaShippedFont[], vaShippedFontEnd[];

namespace va {
namespace {

using Contour = std::vector<Eigen::Vector2d>;

/// FreeType and fontconfig are not made for two threads at a time.
std::mutex& fontLock() {
    static std::mutex lock;
    return lock;
}

FT_Library freeType() {
    static FT_Library library = [] {
        FT_Library l = nullptr;
        FT_Init_FreeType(&l);
        return l;
    }();
    return library;
}

/// The font of a family that has a letter (0: any), as fontconfig finds it; null where there is none. The family's own
/// regular style comes first.
FT_Face openedFont(const std::string& family, FcChar32 letter) {
    static std::map<std::string, FT_Face> opened;
    FcPattern* wanted = FcPatternCreate();
    FcPatternAddString(wanted, FC_FAMILY, reinterpret_cast<const FcChar8*>(family.c_str()));
    FcPatternAddBool(wanted, FC_SCALABLE, FcTrue);
    if (letter != 0) {
        FcCharSet* set = FcCharSetCreate();
        FcCharSetAddChar(set, letter);
        FcPatternAddCharSet(wanted, FC_CHARSET, set);
        FcCharSetDestroy(set);
    }
    FcConfigSubstitute(nullptr, wanted, FcMatchPattern);
    FcDefaultSubstitute(wanted);
    FcResult result = FcResultMatch;
    FcPattern* found = FcFontMatch(nullptr, wanted, &result);
    FT_Face face = nullptr;
    FcChar8* file = nullptr;
    FcChar8* name = nullptr;
    int index = 0;
    if (found && FcPatternGetString(found, FC_FILE, 0, &file) == FcResultMatch) {
        FcPatternGetInteger(found, FC_INDEX, 0, &index);
        // Without a letter to look for only the family itself will do.
        bool right = letter != 0;
        for (int i = 0; !right && FcPatternGetString(found, FC_FAMILY, i, &name) == FcResultMatch; ++i)
            right = FcStrCmpIgnoreCase(name, reinterpret_cast<const FcChar8*>(family.c_str())) == 0;
        if (right) {
            const std::string key = formatted("%s#%d", reinterpret_cast<const char*>(file), index);
            if (const auto had = opened.find(key); had != opened.end()) face = had->second;
            else if (FT_New_Face(freeType(), reinterpret_cast<const char*>(file), index, &face) == 0)
                opened[key] = face;
            else face = nullptr;
        }
    }
    if (found) FcPatternDestroy(found);
    FcPatternDestroy(wanted);
    return face;
}

FT_Face shippedFont() {
    static FT_Face face = [] {
        FT_Face f = nullptr;
        FT_New_Memory_Face(freeType(), vaShippedFont, FT_Long(vaShippedFontEnd - vaShippedFont), 0, &f);
        return f;
    }();
    return face;
}

/// Code points of UTF-8; a byte that is none becomes U+FFFD.
std::vector<FcChar32> lettersOf(const std::string& words) {
    std::vector<FcChar32> out;
    const auto* p = reinterpret_cast<const FcChar8*>(words.c_str());
    for (int left = int(words.size()); left > 0;) {
        FcChar32 c = 0;
        const int n = FcUtf8ToUcs4(p, &c, left);
        if (n <= 0) c = 0xfffd;
        out.push_back(c);
        p += std::max(1, n), left -= std::max(1, n);
    }
    return out;
}

/// Cuts an outline's curves into lines, in em.
struct Cutter {
    double perEm;
    std::vector<Contour> contours;

    [[nodiscard]] Eigen::Vector2d at(const FT_Vector* v) const { return {double(v->x) / perEm, double(v->y) / perEm}; }
    /// A parabola's distance from its chord is an eighth of its second difference, a cubic's at most about the same.
    static int pieces(double bend) { return std::clamp(int(std::ceil(std::sqrt(bend / 8 / 0.0004))), 1, 64); }

    static int moveTo(const FT_Vector* to, void* user) {
        auto& c = *static_cast<Cutter*>(user);
        c.contours.push_back({c.at(to)});
        return 0;
    }
    static int lineTo(const FT_Vector* to, void* user) {
        auto& c = *static_cast<Cutter*>(user);
        c.contours.back().push_back(c.at(to));
        return 0;
    }
    static int conicTo(const FT_Vector* control, const FT_Vector* to, void* user) {
        auto& c = *static_cast<Cutter*>(user);
        const Eigen::Vector2d a = c.contours.back().back(), b = c.at(control), d = c.at(to);
        const int n = pieces(2 * (a - 2 * b + d).norm());
        for (int i = 1; i <= n; ++i) {
            const double t = double(i) / n, s = 1 - t;
            c.contours.back().push_back(s * s * a + 2 * s * t * b + t * t * d);
        }
        return 0;
    }
    static int cubicTo(const FT_Vector* first, const FT_Vector* second, const FT_Vector* to, void* user) {
        auto& c = *static_cast<Cutter*>(user);
        const Eigen::Vector2d a = c.contours.back().back(), b = c.at(first), d = c.at(second), e = c.at(to);
        const int n = pieces(6 * std::max((a - 2 * b + d).norm(), (b - 2 * d + e).norm()));
        for (int i = 1; i <= n; ++i) {
            const double t = double(i) / n, s = 1 - t;
            c.contours.back().push_back(s * s * s * a + 3 * s * s * t * b + 3 * s * t * t * d + t * t * t * e);
        }
        return 0;
    }
};

/// The GLU tessellator: contours in, either their outline without overlaps or triangles out.
class Tessellation {
  public:
    explicit Tessellation(bool boundary) : boundary_(boundary), tess_(gluNewTess()) {
        gluTessProperty(tess_, GLU_TESS_WINDING_RULE, GLU_TESS_WINDING_NONZERO);
        gluTessProperty(tess_, GLU_TESS_BOUNDARY_ONLY, boundary ? GL_TRUE : GL_FALSE);
        gluTessNormal(tess_, 0, 0, 1);
        using Call = void (*)();
        gluTessCallback(tess_, GLU_TESS_BEGIN_DATA, Call(&begin));
        gluTessCallback(tess_, GLU_TESS_VERTEX_DATA, Call(&vertex));
        gluTessCallback(tess_, GLU_TESS_COMBINE_DATA, Call(&combine));
        // With a callback for edge flags the tessellator gives plain triangles, no strips and fans.
        if (!boundary) gluTessCallback(tess_, GLU_TESS_EDGE_FLAG_DATA, Call(&edgeFlag));
    }
    Tessellation(const Tessellation&) = delete;
    ~Tessellation() { gluDeleteTess(tess_); }

    void run(const std::vector<Contour>& contours) {
        gluTessBeginPolygon(tess_, this);
        for (const Contour& c : contours) {
            gluTessBeginContour(tess_);
            for (const Eigen::Vector2d& p : c) {
                Point& point = points[add(p)];
                gluTessVertex(tess_, point.xyz, &point);
            }
            gluTessEndContour(tess_);
        }
        gluTessEndPolygon(tess_);
    }
    struct Point {
        double xyz[3];
        int index;
    };
    std::deque<Point> points;           ///< those that were given, and those that crossings added
    std::vector<std::vector<int>> out;  ///< contours, or one list of triangles' corners

  private:
    size_t add(const Eigen::Vector2d& p) {
        points.push_back({{p.x(), p.y(), 0}, int(points.size())});
        return points.size() - 1;
    }
    static void begin(GLenum, void* self) {
        auto& s = *static_cast<Tessellation*>(self);
        if (s.boundary_ || s.out.empty()) s.out.emplace_back();
    }
    static void vertex(void* point, void* self) {
        static_cast<Tessellation*>(self)->out.back().push_back(static_cast<Point*>(point)->index);
    }
    static void combine(GLdouble xyz[3], void* [4], GLfloat[4], void** made, void* self) {
        auto& s = *static_cast<Tessellation*>(self);
        *made = &s.points[s.add({xyz[0], xyz[1]})];
    }
    static void edgeFlag(GLboolean, void*) {}

    bool boundary_;
    GLUtesselator* tess_;
};

double areaOf(const Contour& c) {
    double sum = 0;
    for (size_t i = 0; i < c.size(); ++i) {
        const Eigen::Vector2d &a = c[i], &b = c[(i + 1) % c.size()];
        sum += a.x() * b.y() - a.y() * b.x();
    }
    return sum / 2;
}

double areaOf(const std::vector<Contour>& contours) {
    double sum = 0;
    for (const Contour& c : contours) sum += areaOf(c);
    return sum;
}

/// Contours without overlaps, inside on the left, without points that repeat or do nothing.
std::vector<Contour> cleaned(const std::vector<Contour>& contours) {
    Tessellation t(true);
    t.run(contours);
    std::vector<Contour> out;
    for (const std::vector<int>& c : t.out) {
        Contour clean;
        for (const int i : c) {
            const auto& p = t.points[size_t(i)].xyz;
            const Eigen::Vector2d at(p[0], p[1]);
            if (clean.empty() || (clean.back() - at).norm() > 1e-7) clean.push_back(at);
        }
        while (clean.size() > 1 && (clean.front() - clean.back()).norm() <= 1e-7) clean.pop_back();
        if (clean.size() > 2 && std::fabs(areaOf(clean)) > 1e-9) out.push_back(std::move(clean));
    }
    return out;
}

/// Every side moved inward by `by`, corners mitred. Nothing where that turns a side over: the stroke is too thin.
std::optional<Contour> inset(const Contour& c, double by) {
    const size_t n = c.size();
    Contour out(n);
    for (size_t i = 0; i < n; ++i) {
        const Eigen::Vector2d a = (c[i] - c[(i + n - 1) % n]).normalized(), b = (c[(i + 1) % n] - c[i]).normalized();
        const Eigen::Vector2d left(-a.y() - b.y(), a.x() + b.x());
        const double reach = 1 + a.dot(b);
        if (reach < 0.02) return std::nullopt;
        out[i] = c[i] + by / reach * left;
    }
    for (size_t i = 0; i < n; ++i)
        if ((out[(i + 1) % n] - out[i]).dot(c[(i + 1) % n] - c[i]) <= 0) return std::nullopt;
    return out;
}

std::optional<std::vector<Contour>> inset(const std::vector<Contour>& contours, double by) {
    std::vector<Contour> out;
    for (const Contour& c : contours) {
        auto in = inset(c, by);
        if (!in) return std::nullopt;
        out.push_back(std::move(*in));
    }
    // Contours that run into each other or into themselves cover less than they add up to.
    const std::vector<Contour> covered = cleaned(out);
    const double sum = areaOf(out);
    if (covered.size() != out.size() || std::fabs(areaOf(covered) - sum) > 1e-6 * std::max(1e-3, std::fabs(sum)))
        return std::nullopt;
    return out;
}

/// The widest inset up to `wanted` that a glyph bears.
std::pair<double, std::vector<Contour>> widestInset(const std::vector<Contour>& contours, double wanted) {
    if (auto whole = inset(contours, wanted)) return {wanted, std::move(*whole)};
    double low = 0, high = wanted;
    std::vector<Contour> best = contours;
    for (int i = 0; i < 12; ++i) {
        const double middle = (low + high) / 2;
        if (auto in = inset(contours, middle)) low = middle, best = std::move(*in);
        else high = middle;
    }
    return {low, std::move(best)};
}

void addFaceOf(Shape& shape, const std::vector<Contour>& contours, const Eigen::Vector2d& shift, double em, double z,
               bool front) {
    Tessellation t(false);
    t.run(contours);
    const int base = int(shape.vertices.size());
    for (const auto& p : t.points)
        shape.vertices.emplace_back(em * (p.xyz[0] + shift.x()), em * (p.xyz[1] + shift.y()), z);
    if (t.out.empty()) return;
    const std::vector<int>& c = t.out[0];
    for (size_t i = 0; i + 2 < c.size(); i += 3) {
        if (front) shape.addFace({base + c[i], base + c[i + 1], base + c[i + 2]});
        else shape.addFace({base + c[i], base + c[i + 2], base + c[i + 1]});
    }
}

/// The wall between contours at one depth and the same ones, perhaps inset, nearer to the front.
void addWall(Shape& shape, const std::vector<Contour>& back, const std::vector<Contour>& front,
             const Eigen::Vector2d& shift, double em, double z0, double z1) {
    for (size_t k = 0; k < back.size(); ++k) {
        const int n = int(back[k].size()), base = int(shape.vertices.size());
        for (const auto& [c, z] : {std::pair(&back[k], z0), {&front[k], z1}})
            for (const Eigen::Vector2d& p : *c)
                shape.vertices.emplace_back(em * (p.x() + shift.x()), em * (p.y() + shift.y()), z);
        for (int i = 0; i < n; ++i) shape.addFace({base + i, base + (i + 1) % n, base + n + (i + 1) % n, base + n + i});
    }
}

std::string utf8(FcChar32 letter) {
    FcChar8 bytes[FC_UTF8_MAX_LEN];
    const int n = FcUcs4ToUtf8(letter, bytes);
    return {reinterpret_cast<const char*>(bytes), size_t(n)};
}

}  // namespace

std::vector<std::string> fontFamilies() {
    const std::lock_guard lock(fontLock());
    std::set<std::string> names;
    FcPattern* all = FcPatternCreate();
    FcPatternAddBool(all, FC_SCALABLE, FcTrue);
    FcObjectSet* what = FcObjectSetBuild(FC_FAMILY, nullptr);
    if (FcFontSet* found = FcFontList(nullptr, all, what)) {
        for (int i = 0; i < found->nfont; ++i) {
            FcChar8* name = nullptr;
            if (FcPatternGetString(found->fonts[i], FC_FAMILY, 0, &name) == FcResultMatch)
                names.insert(reinterpret_cast<const char*>(name));
        }
        FcFontSetDestroy(found);
    }
    FcObjectSetDestroy(what);
    FcPatternDestroy(all);
    return {names.begin(), names.end()};
}

TextOutline outlineOfText(const std::string& words, const std::string& family) {
    const std::lock_guard lock(fontLock());
    TextOutline out;
    FT_Face first = family.empty() ? shippedFont() : openedFont(family, 0);
    if (!first) first = shippedFont();
    double pen = 0, line = 0;
    FT_Face lastFace = nullptr;
    FT_UInt last = 0;
    out.lines = 1;
    for (const FcChar32 letter : lettersOf(words)) {
        if (letter == '\n') {
            pen = 0, line -= 1.2, lastFace = nullptr;
            ++out.lines;
            continue;
        }
        FT_Face face = first;
        FT_UInt glyph = FT_Get_Char_Index(face, letter);
        if (glyph == 0) {
            FT_Face other = openedFont(family.empty() ? "sans-serif" : family, letter);
            const FT_UInt there = other ? FT_Get_Char_Index(other, letter) : 0;
            if (there != 0) face = other, glyph = there;
            else out.missing += utf8(letter);
        }
        if (FT_Load_Glyph(face, glyph, FT_LOAD_NO_SCALE) != 0 || face->glyph->format != FT_GLYPH_FORMAT_OUTLINE)
            continue;
        const double em = std::max<double>(1, face->units_per_EM);
        FT_Vector kern{0, 0};
        if (face == lastFace && FT_HAS_KERNING(face)) FT_Get_Kerning(face, last, glyph, FT_KERNING_UNSCALED, &kern);
        pen += double(kern.x) / em;
        lastFace = face, last = glyph;
        Cutter cut{em, {}};
        const FT_Outline_Funcs funcs{Cutter::moveTo, Cutter::lineTo, Cutter::conicTo, Cutter::cubicTo, 0, 0};
        FT_Outline_Decompose(&face->glyph->outline, &funcs, &cut);
        // PostScript outlines have their inside on the left, TrueType ones on the right.
        if (FT_Outline_Get_Orientation(&face->glyph->outline) == FT_ORIENTATION_TRUETYPE)
            for (Contour& c : cut.contours) std::reverse(c.begin(), c.end());
        TextOutline::Glyph g{cleaned(cut.contours)};
        for (Contour& c : g.contours)
            for (Eigen::Vector2d& p : c) p += Eigen::Vector2d(pen, line);
        if (!g.contours.empty()) out.glyphs.push_back(std::move(g));
        pen += double(face->glyph->metrics.horiAdvance) / em;
        out.width = std::max(out.width, pen);
    }
    return out;
}

TextSolid textSolid(const std::string& words, const std::string& family, double em, double depth, double bevel) {
    const TextOutline outline = outlineOfText(words, family);
    TextSolid out;
    const double deep = std::max(depth, 1e-6 * em);
    out.bevelled = std::min(bevel, deep);
    const Eigen::Vector2d shift(-outline.width / 2, 1.2 * (outline.lines - 1));
    for (const TextOutline::Glyph& g : outline.glyphs) {
        out.area += em * em * areaOf(g.contours);
        const auto [by, front] =
            bevel > 0 ? widestInset(g.contours, std::min(bevel, deep) / em) : std::pair(0.0, g.contours);
        out.bevelled = std::min(out.bevelled, by * em);
        addFaceOf(out.shape, g.contours, shift, em, 0, false);
        // Where the bevel takes the whole depth there is no straight wall.
        if (deep - by * em > 1e-12) addWall(out.shape, g.contours, g.contours, shift, em, 0, deep - by * em);
        if (by > 0) addWall(out.shape, g.contours, front, shift, em, deep - by * em, deep);
        addFaceOf(out.shape, front, shift, em, deep, true);
    }
    return out;
}

std::string textTrouble(const std::string& words, const std::string& family) {
    if (words.find_first_not_of(" \t\n") == std::string::npos)
        return text("This label has no text. Write one, or remove the label.");
    {
        const std::lock_guard lock(fontLock());
        if (!family.empty() && !openedFont(family, 0))
            return text(
                "The font \"%s\" is not on this machine: the program's own is used. Install it, or choose "
                "another.",
                family.c_str());
    }
    if (const std::string missing = outlineOfText(words, family).missing; !missing.empty())
        return text(
            "No font of this machine has \"%s\": boxes are drawn instead. Install a font that has it, or write "
            "the label in other letters.",
            missing.c_str());
    return {};
}

}  // namespace va
