// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <sstream>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/text.h"
#include "commands.h"
#include "ground/transform_text.h"
#include "media/plate_source.h"
#include "shot/shot_file.h"
#include "workflow/layout_work.h"
#include "workflow/match_shot.h"
#include "workflow/place_things.h"
#include "workflow/stick_strip.h"

namespace va {
namespace {

struct Arguments {
    std::string project, add, at, name, size, paste;
    bool list = false;
};

/// "box" of "prop:box", and so on: the word on the command line, the kind, and what it takes after the colon.
ThingKind kindFrom(const std::string& words) {
    const size_t colon = words.find(':');
    const std::string head = words.substr(0, colon), rest = colon == std::string::npos ? "" : words.substr(colon + 1);
    const auto absolute = [](const std::string& file) { return std::filesystem::absolute(file).string(); };
    if (head == "prop") {
        const auto kind = kindNamed(rest);
        if (kind && hasSurface(*kind) && textsOf(*kind).empty()) return *kind;
        std::string known;
        for (const ThingKind& k : allKinds())
            if (hasSurface(k) && textsOf(k).empty()) known += (known.empty() ? "" : ", ") + std::string(kindWord(k));
        throw UsageError("--add", text("there is no prop \"%s\"; there are %s", rest.c_str(), known.c_str()));
    }
    if (head == "anchor") return Anchor();
    if (head == "group") return Group();
    if (head == "label") {
        Label label;
        if (!rest.empty()) label.words = rest;
        return label;
    }
    if (head == "card") {
        Card card;
        if (!rest.empty()) card.file = absolute(rest);
        return card;
    }
    if (head == "mesh" && !rest.empty()) {
        Mesh mesh;
        mesh.file = absolute(rest);
        return mesh;
    }
    throw UsageError("--add", text("\"%s\" is no kind; write anchor, group, card, card:FILE, label:TEXT, prop:box "
                                   "(ball, cone, cylinder, post, board) or mesh:FILE",
                                   words.c_str()));
}

void setSizes(ThingKind& kind, const std::string& list) {
    std::stringstream in(list);
    size_t field = 0;
    for (std::string part; std::getline(in, part, ','); ++field) {
        const std::vector<FieldValue> fields = fieldsOf(kind);
        if (field >= fields.size())
            throw UsageError("--size", text("a %s has only %zu numbers", kindWord(kind), fields.size()));
        char* end = nullptr;
        const double v = std::strtod(part.c_str(), &end);
        if (end == part.c_str() || *end || !setField(kind, field, v))
            throw UsageError("--size", text("%s has to lie in %g to %g", fields[field].label, fields[field].low,
                                            fields[field].high));
    }
}

void print(const Shot& shot) {
    std::printf("%-6s %-20s %-8s %-30s %s\n", "id", "name", "kind", "position (world)", "hangs on");
    for (const Thing& t : shot.things) {
        const auto at = PlacedThings(shot, shot.range.first).of(t);
        const std::string place =
            at ? formatted("%.4f %.4f %.4f", at->translation.x(), at->translation.y(), at->translation.z())
               : text("not in this solve");
        std::printf("%-6d %-20s %-8s %-30s %s\n", t.id, t.name.c_str(), kindWord(t.kind), place.c_str(),
                    hangWordsOf(shot, t.hang).c_str());
        if (const std::string trouble = thingTrouble(shot, t); !trouble.empty())
            std::printf("       %s\n", trouble.c_str());
    }
}

/// Onto the surface that the plate's pictures show there, where they can be read and tell it.
void settle(Shot& shot, int id, int frame) {
    if (!shot.solve->hasDepth()) return;
    try {
        const auto source = openPlate(shot.plateSpec, choicesForOpening(shot.overrides));
        Progress progress;
        const auto place = settledPlace(
            shot, footOf(shot, id), shot.frames(), [&](int f) { return source->luma(f); }, frame, progress);
        auto world = PlacedThings(shot, frame).of(*shot.thing(id));
        if (!place || !world) return;
        world->translation = *place;
        const Thing now = movedTo(shot, *shot.thing(id), *world, frame);
        for (Thing& t : shot.things)
            if (t.id == id) t = now;
    } catch (const InputError& e) {
        std::fprintf(stderr, "vanchor: placed by the features around it only: %s\n", e.what());
    }
}

int layOut(const Arguments& a) {
    Shot shot = readShot(a.project);
    bool changed = false;
    if (!a.add.empty()) {
        if (a.at.empty()) throw UsageError("--at", text("is missing: say where, such as ground:0,0,0 or feature:12"));
        const LayoutPlace place = placeFromWords(shot, a.at);
        int frame = shot.range.first;
        if (a.at.rfind("frame:", 0) == 0) frame = std::atoi(a.at.c_str() + 6);
        const ThingKind kind = kindFrom(a.add);
        if (const std::string trouble = troubleOf(kind); !trouble.empty()) throw InputError(trouble);
        std::string said;
        Thing thing = newThing(shot, kind, place, frame, &said);
        if (!a.size.empty()) setSizes(thing.kind, a.size);
        if (!a.name.empty()) {
            if (freeName(shot, a.name) != a.name)
                throw InputError(text("There is a thing named \"%s\" already. Choose another name.", a.name.c_str()));
            thing.name = a.name;
        }
        int id = 0;
        shot = withThing(shot, thing, &id);
        if (a.at.rfind("frame:", 0) == 0) settle(shot, id, frame);
        std::printf("%s on %s\n", shot.thing(id)->name.c_str(), hangWordsOf(shot, thing.hang).c_str());
        if (!said.empty()) std::printf("%s\n", said.c_str());
        changed = true;
    }
    if (!a.paste.empty()) {
        if (a.name.empty()) throw UsageError("--name", text("is missing: say which thing gets the place"));
        const Similarity place = transformFromText(readFile(a.paste));
        Thing* to = nullptr;
        for (Thing& t : shot.things)
            if (t.name == a.name) to = &t;
        if (!to) throw InputError(text("There is no thing named \"%s\".", a.name.c_str()));
        setPosition(*to, shot.range.first, place.translation);
        setRotation(*to, shot.range.first, place.rotation);
        setScale(*to, shot.range.first, place.scale);
        changed = true;
    }
    if (changed) writeShot(shot, a.project);
    if (a.list || !changed) print(shot);
    return exitDone;
}

}  // namespace

void addLayoutCommand(CommandLine& program, Command& run) {
    auto a = std::make_shared<Arguments>();
    CommandLine c = program.command("layout", "Lay things out in a project, and list them");
    c.option("project", a->project, "A .vanchor file; it is changed").required();
    c.option("--add", a->add,
             "anchor, group, card, card:FILE, label:TEXT, prop:box, prop:ball, prop:cone, prop:cylinder, "
             "prop:post, prop:board or mesh:FILE");
    c.option("--at", a->at, "feature:12, ground:x,y,z, plane:NAME or frame:1001,x,y (what lies under that pixel)");
    c.option("--name", a->name, "Of the new thing, or of the one that gets a place");
    c.option("--size", a->size, "The kind's numbers in the order of the inspector, with commas");
    c.option("--paste", a->paste, "File with a place as text: position, rotation, scale");
    c.flag("--list", a->list, "Print what is laid out");
    c.onChosen([a, &run] { run = [a] { return layOut(*a); }; });
}

}  // namespace va
