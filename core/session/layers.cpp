#include "core/session/layers.h"

#include "core/base/error.h"
#include "core/base/text.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <filesystem>

namespace ember {
namespace {

void place(Note& note, const TimeMap& time, int pulses, std::string_view drum, double seconds,
           double velocity) {
    if (!(velocity >= 0.0 && velocity <= 1.0)) throw Error("A velocity goes from 0 to 1.");
    note.tick = std::max<std::int64_t>(0, std::llround(quarterAt(time, seconds) * pulses));
    note.drum = drum;
    note.velocity = velocity;
}

Row& requireLayerRow(Session& session, std::string_view id) {
    Row& row = requireRow(session, id);
    if (row.layers.empty())
        throw Error("“" + row.name +
                    "” has no layers; put them in a row of their own (its drum's "
                    "layers).");
    return row;
}

}  // namespace

const Layer* findLayer(const Row& row, std::string_view id) {
    const auto at = std::find_if(row.layers.begin(), row.layers.end(),
                                 [&](const Layer& layer) { return layer.id == id; });
    return at == row.layers.end() ? nullptr : &*at;
}

Layer& requireLayer(Row& row, std::string_view id) {
    for (Layer& layer : row.layers) {
        if (layer.id == id) return layer;
    }
    std::string known;
    for (const Layer& layer : row.layers) known += (known.empty() ? "" : ", ") + layer.id;
    throw Error(row.name + " has no layer “" + std::string(id) + "”; it has " +
                (known.empty() ? "none" : known) + ".");
}

std::string makeLayerId(const std::vector<Layer>& among, std::string_view name) {
    std::string base = hyphenated(name);
    if (base.empty()) base = "layer";
    const auto taken = [&](const std::string& id) {
        return std::any_of(among.begin(), among.end(), [&](const Layer& l) { return l.id == id; });
    };
    std::string id = base;
    for (int n = 2; taken(id); ++n) id = base + "-" + std::to_string(n);
    return id;
}

Layer makeLayer(std::string id, std::string name, std::vector<Source> sounds) {
    Layer layer{std::move(id), std::move(name), std::move(sounds), {}};
    for (const Parameter& p : layerTable()) layer.values.push_back(p.standard);
    return layer;
}

std::string soundName(const std::string& file) {
    std::string name = std::filesystem::path(file).stem().string();
    for (char& c : name) c = c == '_' || c == '-' || c == '.' ? ' ' : c;
    std::string out;
    for (const char c : name) {
        if (c != ' ' || (!out.empty() && out.back() != ' ')) out += c;
    }
    while (!out.empty() && out.back() == ' ') out.pop_back();
    if (out.empty()) return "Sound";
    out[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(out[0])));
    return out;
}

NewRow withLayerRow(Session session, std::string_view drum, const std::vector<Source>& sounds,
                    const std::string& name) {
    const std::string id = requireDrum(session, drum);
    if (sounds.empty()) throw Error("A row of layers needs at least one sound; name a file.");
    Row row;
    row.name = name.empty() ? drumName(session, id) + " Layers" : name;
    row.id = makeRowId(session, row.name);
    row.kind = RowKind::element;
    row.role = Role::sample;
    row.drum = id;
    row.chain = makeChain(RowKind::element);
    const auto member = std::find_if(session.rows.begin(), session.rows.end(), [&](const Row& r) {
        return r.kind == RowKind::element && r.drum == id;
    });
    row.parent = member != session.rows.end() ? member->parent : mainRow(session);
    for (const Source& sound : sounds) {
        const std::string called = soundName(sound.file);
        row.layers.push_back(makeLayer(makeLayerId(row.layers, called), called, {sound}));
    }
    const std::string made = row.id;
    session.rows.push_back(std::move(row));
    seatRow(session, made);
    return {std::move(session), made};
}

Session withRowRemoved(Session session, std::string_view id) {
    const Row& row = requireRow(session, id);
    if (!hasSources(row.kind))
        throw Error("“" + row.name + "” is a bus; what feeds it is routed elsewhere first.");
    const std::string gone = row.id;
    std::erase_if(session.rows, [&](const Row& r) { return r.id == gone; });
    for (Row& other : session.rows) {
        for (Stage& stage : other.chain) {
            if (stage.key == gone) stage.key.clear();
        }
    }
    return session;
}

Session withLayerAdded(Session session, std::string_view rowId, std::vector<Source> sounds,
                       const std::string& name) {
    Row& row = requireLayerRow(session, rowId);
    if (sounds.empty()) throw Error("A layer needs at least one sound; name a file.");
    const std::string called = name.empty() ? soundName(sounds.front().file) : name;
    row.layers.push_back(makeLayer(makeLayerId(row.layers, called), called, std::move(sounds)));
    return session;
}

Session withLayerRemoved(Session session, std::string_view rowId, std::string_view layer) {
    Row& row = requireLayerRow(session, rowId);
    const std::string id = requireLayer(row, layer).id;
    if (row.layers.size() == 1)
        throw Error("“" + row.name + "” would be left without a sound; remove the row instead.");
    std::erase_if(row.layers, [&](const Layer& l) { return l.id == id; });
    return session;
}

Session withLayerCopied(Session session, std::string_view rowId, std::string_view layerId) {
    Row& row = requireLayerRow(session, rowId);
    Layer copy = requireLayer(row, layerId);
    copy.id = makeLayerId(row.layers, copy.name);
    const auto at = std::find_if(row.layers.begin(), row.layers.end(),
                                 [&](const Layer& l) { return l.id == layerId; });
    row.layers.insert(at + 1, std::move(copy));
    return session;
}

Session withLayerName(Session session, std::string_view row, std::string_view layer,
                      std::string name) {
    if (name.find_first_not_of(" \t") == std::string::npos)
        throw Error("A name cannot be empty; type at least one letter.");
    requireLayer(requireLayerRow(session, row), layer).name = std::move(name);
    return session;
}

Session withLayerValue(Session session, std::string_view row, std::string_view layer,
                       std::string_view parameter, double value) {
    Layer& of = requireLayer(requireLayerRow(session, row), layer);
    const int index = parameterIndex(layerTable(), parameter);
    if (index < 0) {
        std::string known;
        for (const Parameter& p : layerTable()) known += (known.empty() ? "" : ", ") + p.id;
        throw Error("A layer has no parameter “" + std::string(parameter) + "”; it has " + known +
                    ".");
    }
    const Parameter& p = layerTable()[static_cast<std::size_t>(index)];
    if (!(value >= p.minimum && value <= p.maximum))
        throw Error(p.label + " goes from " + formatValue(p, p.minimum) + " to " +
                    formatValue(p, p.maximum) + ".");
    of.values[static_cast<std::size_t>(index)] = value;
    return session;
}

Session withLayerSounds(Session session, std::string_view row, std::string_view layer,
                        std::vector<Source> sounds) {
    if (sounds.empty()) throw Error("A layer needs at least one sound; name a file.");
    requireLayer(requireLayerRow(session, row), layer).sounds = std::move(sounds);
    return session;
}

int noteAt(const Session& session, std::string_view drum, double seconds) {
    const Pattern& pattern = session.pattern.get();
    for (std::size_t i = 0; i < pattern.notes.size(); ++i) {
        const Note& note = pattern.notes[i];
        if (note.drum == drum && std::abs(secondsOf(pattern, note, session.time) - seconds) < 1e-6)
            return static_cast<int>(i);
    }
    return -1;
}

Session withNote(Session session, std::string_view drum, double seconds, double velocity,
                 int articulation) {
    Pattern pattern = session.pattern.get();
    Note note;
    place(note, session.time, pattern.pulses, drum, seconds, velocity);
    note.articulation = articulation;
    pattern.notes.push_back(std::move(note));
    session.pattern = Shared(inOrder(std::move(pattern)));
    return session;
}

Session withoutNote(Session session, int note) {
    Pattern pattern = session.pattern.get();
    if (note < 0 || note >= std::ssize(pattern.notes)) return session;
    pattern.notes.erase(pattern.notes.begin() + note);
    session.pattern = Shared(std::move(pattern));
    return session;
}

Session withNoteChanged(Session session, int note, std::string_view drum, double seconds,
                        double velocity) {
    Pattern pattern = session.pattern.get();
    if (note < 0 || note >= std::ssize(pattern.notes))
        throw Error("The pattern has no such note any more; choose it again.");
    Note& changed = pattern.notes[static_cast<std::size_t>(note)];
    if (changed.drum != drum) changed.key = -1;
    place(changed, session.time, pattern.pulses, drum, seconds, velocity);
    session.pattern = Shared(inOrder(std::move(pattern)));
    return session;
}

KeyMapping mappingOf(const Session& session, int key) {
    for (const KeyMapping& k : session.keys) {
        if (k.key == key) return k;
    }
    KeyMapping usual = usualMapping(key);
    std::vector<std::string> family;
    for (const Drum& d : session.drums) {
        if (d.id == usual.drum) return usual;
        if (drumFamily(d.id) == drumFamily(usual.drum)) family.push_back(d.id);
    }
    if (drumFamily(usual.drum) == DrumFamily::percussion) {
        // By name: a clap, a tambourine.
        for (const Drum& d : session.drums) {
            if (drumFamily(d.id) == DrumFamily::percussion &&
                hyphenated(d.name).find(usual.drum) != std::string::npos)
                usual.drum = d.id;
        }
        return usual;
    }
    if (family.empty()) return usual;
    if (!isTom(usual.drum)) {
        // A second crash where there is one cymbal is that cymbal; a bell has no drum of its own.
        usual.drum = family.front();
        return usual;
    }
    // Toms from high to low, as the keys go; floor toms are the lowest.
    std::stable_sort(family.begin(), family.end(), [](const std::string& a, const std::string& b) {
        return !a.starts_with("floor") && b.starts_with("floor");
    });
    const std::vector<int> keys{50, 48, 47, 45, 43, 41};
    const auto place =
        static_cast<std::size_t>(std::find(keys.begin(), keys.end(), key) - keys.begin());
    usual.drum = family[std::min(family.size() - 1, place * family.size() / keys.size())];
    return usual;
}

}  // namespace ember
