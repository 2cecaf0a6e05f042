// Sessions, chains and presets as JSON text, and back.

#include "core/base/error.h"
#include "core/base/text.h"
#include "core/dsp/equaliser.h"
#include "core/session/file.h"
#include "core/session/migrate.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using Json = nlohmann::ordered_json;

// A JSON object being read: knows where it is, and what of it was understood.
class Reader {
  public:
    Reader(const Json& json, std::string place)
        : json_(json), place_(std::move(place)), rest_(json) {
        if (!json.is_object())
            throw Error(place_ + " should be an object; restore it from a copy or remove it.");
    }

    [[nodiscard]] const std::string& place() const { return place_; }

    const Json* field(const char* name) {
        rest_.erase(name);
        const auto at = json_.find(name);
        return at == json_.end() ? nullptr : &*at;
    }
    std::string text(const char* name, const std::string& standard = {}) {
        const Json* value = field(name);
        if (value == nullptr) return standard;
        if (!value->is_string()) throw fault(name, "a text");
        return value->get<std::string>();
    }
    std::string requiredText(const char* name) {
        std::string value = text(name);
        if (value.empty()) throw fault(name, "a text that is not empty");
        return value;
    }
    double number(const char* name, double standard, double low, double high) {
        const Json* value = field(name);
        if (value == nullptr) return standard;
        const double x = value->is_number() ? value->get<double>() : NAN;
        if (!(x >= low && x <= high)) {
            std::ostringstream range;
            range << "a number from " << low << " to " << high;
            throw fault(name, range.str());
        }
        return x;
    }
    bool flag(const char* name, bool standard) {
        const Json* value = field(name);
        if (value == nullptr) return standard;
        if (!value->is_boolean()) throw fault(name, "true or false");
        return value->get<bool>();
    }
    // Calls each(item, place) for every item of an array field.
    template <typename Each>
    void array(const char* name, Each each) {
        const Json* value = field(name);
        if (value == nullptr) return;
        if (!value->is_array()) throw fault(name, "a list");
        for (std::size_t i = 0; i < value->size(); ++i)
            each((*value)[i], place_ + "." + name + "[" + std::to_string(i) + "]");
    }
    [[nodiscard]] std::string extra() const { return rest_.empty() ? std::string{} : rest_.dump(); }
    [[nodiscard]] Error fault(const char* name, const std::string& wanted) const {
        return Error(place_ + "." + name + " should be " + wanted + "; correct it or remove it.");
    }

  private:
    const Json& json_;
    std::string place_;
    Json rest_;
};

Json startFrom(const std::string& extra) {
    return extra.empty() ? Json::object() : Json::parse(extra);
}

// Adds the fields that were not understood when reading, behind the known ones.
void keep(Json& json, const std::string& extra) {
    const Json rest = startFrom(extra);
    for (const auto& [name, value] : rest.items()) {
        if (!json.contains(name)) json[name] = value;
    }
}

// Whether a value belongs to a band of an equaliser that nobody ever touched.
bool untouchedPart(const Stage& stage, std::size_t index) {
    if (stage.type != "eq" || index >= static_cast<std::size_t>(kEqAmount)) return false;
    return !eqBandInUse(stage.values, static_cast<int>(index) / kEqFields);
}

Json write(const Stage& stage) {
    Json json{
        {"id", stage.id}, {"type", stage.type}, {"on", stage.on}, {"mark", toString(stage.mark)}};
    if (!stage.key.empty()) json["key"] = stage.key;
    Json values = Json::object();
    const ParameterTable table = processorType(stage.type).table;
    for (std::size_t i = 0; i < table.size(); ++i) {
        if (untouchedPart(stage, i)) continue;
        const double value = stage.values[i];
        if (table[i].scale == Scale::choice) {
            values[table[i].id] = formatValue(table[i], value);
        } else if (table[i].scale == Scale::toggle) {
            values[table[i].id] = value >= 0.5;
        } else {
            values[table[i].id] = value;
        }
    }
    json["values"] = std::move(values);
    if (!stage.words.empty()) json["words"] = stage.words;
    keep(json, stage.extra);
    return json;
}

Json write(const Row& row) {
    Json json{{"id", row.id},
              {"name", row.name},
              {"kind", toString(row.kind)},
              {"role", toString(row.role)}};
    if (!row.drum.empty()) json["drum_id"] = row.drum;
    if (row.who != Identity{}) {
        Json& who = json["who"] = {{"sure", row.who.sure}, {"grounds", row.who.grounds}};
        if (!row.who.alternatives.empty()) {
            Json& list = who["alternatives"] = Json::array();
            for (const Likely& l : row.who.alternatives)
                list.push_back({{"role", toString(l.role)}, {"sure", l.sure}});
        }
    }
    if (!row.parent.empty()) json["feeds"] = row.parent;
    json["mute"] = row.mute;
    json["solo"] = row.solo;
    if (!row.sources.empty()) {
        Json& sources = json["sources"] = Json::array();
        for (const Source& s : row.sources) {
            Json source{{"file", asUtf8(s.file)},
                        {"hash", s.hash},
                        {"channel", s.channel + 1},
                        {"offset", s.offset}};
            // JSON is UTF-8; names of files need not be.
            if (!isUtf8(s.file)) source["file_bytes"] = hexOf(s.file);
            keep(source, s.extra);
            sources.push_back(std::move(source));
        }
    }
    Json& chain = json["chain"] = Json::array();
    for (const Stage& stage : row.chain) chain.push_back(write(stage));
    keep(json, row.extra);
    return json;
}

Role roleAt(const std::string& text, const std::string& place) {
    try {
        return roleFrom(text);
    } catch (const Error& error) {
        throw Error(place + ": " + error.what());
    }
}

double readValue(const Parameter& p, const Json& value, const std::string& place) {
    const auto fault = [&](const std::string& why) { return Error(place + ": " + why); };
    try {
        if (value.is_boolean() && p.scale == Scale::toggle) return value.get<bool>() ? 1.0 : 0.0;
        if (value.is_string()) return parseValue(p, value.get<std::string>());
        if (value.is_number() && p.scale != Scale::toggle && p.scale != Scale::choice) {
            const double x = value.get<double>();
            if (x >= p.minimum && x <= p.maximum) return x;
        }
        return parseValue(p, value.dump());
    } catch (const Error& error) {
        throw fault(error.what());
    }
}

Stage readStage(const Json& json, const std::string& place) {
    Reader in(json, place);
    Stage stage;
    stage.type = in.requiredText("type");
    const ProcessorType* type = nullptr;
    try {
        type = &processorType(stage.type);
        stage.mark = markFrom(in.text("mark", "untouched"));
    } catch (const Error& error) {
        throw Error(place + ": " + error.what());
    }
    stage.id = in.text("id", stage.type);
    stage.on = in.flag("on", false);
    stage.key = in.text("key");
    stage.values = standardValues(type->table);
    if (const Json* values = in.field("values")) {
        if (!values->is_object()) throw in.fault("values", "an object");
        for (const auto& [name, value] : values->items()) {
            const int index = parameterIndex(type->table, name);
            std::string where = place + ".values.";
            where += name;
            if (index < 0) throw Error(where + " is unknown to " + type->label + "; remove it.");
            stage.values[static_cast<std::size_t>(index)] =
                readValue(type->table[static_cast<std::size_t>(index)], value, where);
        }
    }
    if (const Json* words = in.field("words")) {
        if (!words->is_object()) throw in.fault("words", "an object");
        for (const auto& [name, value] : words->items()) {
            if (!value.is_string()) throw in.fault("words", "an object of texts");
            stage.words[name] = value.get<std::string>();
        }
    }
    stage.extra = in.extra();
    return stage;
}

Identity readIdentity(const Json& json, const std::string& place) {
    Reader in(json, place);
    Identity who;
    who.sure = in.number("sure", 1.0, 0.0, 1.0);
    in.array("grounds", [&](const Json& item, const std::string& at) {
        if (!item.is_string()) throw Error(at + " should be a text; remove it.");
        who.grounds.push_back(item.get<std::string>());
    });
    in.array("alternatives", [&](const Json& item, const std::string& at) {
        Reader likely(item, at);
        who.alternatives.push_back(
            {roleAt(likely.requiredText("role"), at), likely.number("sure", 0.0, 0.0, 1.0)});
    });
    return who;
}

Row readRow(const Json& json, const std::string& place) {
    Reader in(json, place);
    Row row;
    row.id = in.requiredText("id");
    row.name = in.text("name", row.id);
    try {
        row.kind = rowKindFrom(in.text("kind", "element"));
        row.role = roleFrom(in.text("role", "unknown"));
    } catch (const Error& error) {
        throw Error(place + ": " + error.what());
    }
    row.drum = in.text("drum_id");
    if (const Json* who = in.field("who")) row.who = readIdentity(*who, place + ".who");
    row.parent = in.text("feeds");
    row.mute = in.flag("mute", false);
    row.solo = in.flag("solo", false);
    in.array("sources", [&](const Json& item, const std::string& at) {
        Reader source(item, at);
        Source s{source.requiredText("file"), source.text("hash"),
                 static_cast<int>(source.number("channel", 1, 1, 64)) - 1,
                 source.number("offset", 0.0, -86400.0, 86400.0)};
        if (const std::string bytes = bytesOfHex(source.text("file_bytes")); !bytes.empty())
            s.file = bytes;
        s.extra = source.extra();
        row.sources.push_back(std::move(s));
    });
    in.array("chain", [&](const Json& item, const std::string& at) {
        row.chain.push_back(readStage(item, at));
    });
    if (row.chain.empty()) row.chain = makeChain(row.kind);
    row.extra = in.extra();
    return row;
}

Json write(const Stroke& s) {
    Json json{{"time", s.time},
              {"drum_id", s.drum},
              {"mic", s.mic},
              {"velocity", s.velocity},
              {"level", s.levelDb},
              {"kind", toString(s.kind)},
              {"confidence", s.confidence},
              {"byHand", s.byHand}};
    keep(json, s.extra);
    return json;
}

Stroke readStroke(const Json& json, const std::string& place) {
    Reader in(json, place);
    Stroke s;
    s.time = in.number("time", 0.0, -86400.0, 86400.0);
    s.drum = in.requiredText("drum_id");
    s.mic = in.text("mic");
    s.velocity = in.number("velocity", 0.0, 0.0, 1.0);
    s.levelDb = in.number("level", 0.0, -300.0, 300.0);
    s.kind = strokeKindFrom(in.text("kind", "normal"));
    s.confidence = in.number("confidence", 0.0, 0.0, 1.0);
    s.byHand = in.flag("byHand", false);
    s.extra = in.extra();
    return s;
}

constexpr const char* kChainFormat = "ember-cask chain";

// Nothing we write comes near these; what does would end the program while it is read.
constexpr int kDeepest = 64;
constexpr std::size_t kLargest = std::size_t{512} << 20U;
void refuseDeep(const std::string& text) {
    if (text.size() > kLargest)
        throw Error("it is larger than 512 MB, which no session is; restore a copy.");
    int depth = 0;
    bool quoted = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (quoted) {
            if (c == '\\') ++i;
            if (c == '"') quoted = false;
            continue;
        }
        quoted = c == '"';
        if (c == '[' || c == '{') ++depth;
        if (c == ']' || c == '}') --depth;
        if (depth > kDeepest)
            throw Error("its brackets are nested deeper than " + std::to_string(kDeepest) +
                        " at byte " + std::to_string(i) + "; restore a copy.");
    }
}

// What this program does not know it would leave out silently.
void refuseNewer(double version) {
    if (version > Session::kVersion)
        throw Error("it was saved by a newer Ember Cask (format " +
                    std::to_string(static_cast<int>(version)) + "); update this one.");
}

}  // namespace

std::string toJson(const Document& document) {
    const Session& s = document.session();
    Json json{{"format", "ember-cask session"},
              {"version", Session::kVersion},
              {"name", s.name},
              {"sampleRate", s.sampleRate},
              {"tempo", s.tempo},
              {"beatsPerBar", s.beatsPerBar},
              {"style", toString(s.style)},
              {"firstBar", s.firstBar}};
    if (s.ways != Ways{}) {
        Json& ways = json["ways"] = Json::object();
        for (const auto& [step, names] : waysByStep()) ways[step] = names[wayOf(s.ways, step)];
    }
    json["loop"] = {{"on", s.loop.on}, {"from", s.loop.from}, {"to", s.loop.to}};
    if (!s.drums.empty()) {
        Json& drums = json["drums"] = Json::array();
        for (const Drum& d : s.drums) drums.push_back({{"drum_id", d.id}, {"drum_name", d.name}});
    }
    Json& rows = json["rows"] = Json::array();
    for (const Row& row : s.rows) rows.push_back(write(row));
    if (!s.strokes.get().empty()) {
        Json& strokes = json["strokes"] = Json::array();
        for (const Stroke& stroke : s.strokes.get()) strokes.push_back(write(stroke));
    }
    if (!s.strokeEdits.empty()) {
        Json& edits = json["strokeEdits"] = Json::array();
        for (const StrokeEdit& edit : s.strokeEdits) {
            edits.push_back({{"remove", edit.remove}, {"stroke", write(edit.stroke)}});
        }
    }
    if (!s.declined.empty()) json["declined"] = s.declined;
    if (!s.spots.empty()) {
        Json& spots = json["spots"] = Json::array();
        for (const Spot& spot : s.spots)
            spots.push_back({{"name", spot.name}, {"from", spot.from}, {"to", spot.to}});
    }
    if (!s.targets.empty()) {
        Json& targets = json["targets"] = Json::array();
        for (const LevelTarget& t : s.targets)
            targets.push_back({{"what", t.what},
                               {"peak", t.peak},
                               {"strokes", toString(t.strokes)},
                               {"level", t.db}});
    }
    if (!s.notes.empty()) {
        Json& notes = json["notes"] = Json::array();
        for (const NoteTarget& n : s.notes)
            notes.push_back({{"drum_id", n.drum}, {"hertz", n.hertz}});
    }
    Json& log = json["logbook"] = Json::array();
    for (const LogEntry& entry : document.log()) {
        Json line{{"time", entry.time}, {"text", entry.text}};
        keep(line, entry.extra);
        log.push_back(std::move(line));
    }
    keep(json, s.extra);
    return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Document documentFromJson(const std::string& text, const std::string& fileName) {
    Json json;
    try {
        refuseDeep(text);
        json = Json::parse(text);
    } catch (const Error& error) {
        throw Error("“" + fileName + "”: " + error.what());
    } catch (const Json::parse_error& error) {
        throw Error("“" + fileName + "” is broken at byte " + std::to_string(error.byte) +
                    "; open “" + fileName + ".previous” beside it or restore a copy.");
    } catch (const Json::exception&) {
        // A number that no double holds.
        throw Error("“" + fileName + "” holds a number beyond all bounds; open “" + fileName +
                    ".previous” beside it or restore a copy.");
    }
    try {
        const bool first = json.is_object() && json.value("version", Json()) == 1;
        if (first) renameDrumFields(json);
        Reader in(json, "session");
        if (in.text("format") != "ember-cask session")
            throw Error("it is not an Ember Cask session; choose a file that Ember Cask saved.");
        refuseNewer(in.number("version", 0, 1, 1e6));
        Session s;
        s.name = in.text("name", "Untitled");
        s.sampleRate = static_cast<int>(in.number("sampleRate", 48000, 8000, 384000));
        s.tempo = in.number("tempo", 120.0, 20.0, 400.0);
        s.style = styleFrom(in.text("style", "any"));
        if (const Json* ways = in.field("ways")) {
            Reader by(*ways, "session.ways");
            for (const auto& [step, names] : waysByStep())
                s = withWay(std::move(s), step, by.text(step.c_str(), names.front()));
        }
        s.beatsPerBar = static_cast<int>(in.number("beatsPerBar", 4, 1, 32));
        s.firstBar = in.number("firstBar", 0.0, -86400.0, 86400.0);
        if (const Json* loop = in.field("loop")) {
            Reader span(*loop, "session.loop");
            s.loop = {span.flag("on", false), span.number("from", 0.0, 0.0, 86400.0),
                      span.number("to", 0.0, 0.0, 86400.0)};
        }
        in.array("drums", [&](const Json& item, const std::string& at) {
            Reader drum(item, at);
            const std::string id = drum.requiredText("drum_id");
            s.drums.push_back({id, drum.text("drum_name", usualDrumName(id))});
        });
        in.array("rows", [&](const Json& item, const std::string& at) {
            s.rows.push_back(readRow(item, at));
        });
        std::vector<Stroke> strokes;
        in.array("strokes", [&](const Json& item, const std::string& at) {
            strokes.push_back(readStroke(item, at));
        });
        std::stable_sort(strokes.begin(), strokes.end(),
                         [](const Stroke& a, const Stroke& b) { return a.time < b.time; });
        if (!strokes.empty()) s.strokes = Shared(std::move(strokes));
        in.array("strokeEdits", [&](const Json& item, const std::string& at) {
            Reader edit(item, at);
            const bool remove = edit.flag("remove", false);
            const Json* stroke = edit.field("stroke");
            if (stroke == nullptr) throw edit.fault("stroke", "a stroke");
            s.strokeEdits.push_back({remove, readStroke(*stroke, at + ".stroke")});
        });
        in.array("declined", [&](const Json& item, const std::string& at) {
            if (!item.is_string()) throw Error(at + " should be a text; remove it.");
            s.declined.push_back(item.get<std::string>());
        });
        in.array("spots", [&](const Json& item, const std::string& at) {
            Reader spot(item, at);
            s.spots.push_back({spot.text("name", "Spot"), spot.number("from", 0.0, 0.0, 86400.0),
                               spot.number("to", 0.0, 0.0, 86400.0)});
            if (s.spots.back().to <= s.spots.back().from)
                throw spot.fault("to", "later than “from”");
        });
        in.array("targets", [&](const Json& item, const std::string& at) {
            Reader target(item, at);
            s.targets.push_back({target.requiredText("what"), target.flag("peak", true),
                                 targetStrokesFrom(target.text("strokes", "loudest")),
                                 target.number("level", -14.0, -80.0, 0.0)});
        });
        in.array("notes", [&](const Json& item, const std::string& at) {
            Reader note(item, at);
            s = withNoteTarget(std::move(s), note.requiredText("drum_id"),
                               note.number("hertz", 0.0, 20.0, 1000.0));
        });
        std::vector<LogEntry> log;
        in.array("logbook", [&](const Json& item, const std::string& at) {
            Reader entry(item, at);
            log.push_back({static_cast<std::int64_t>(entry.number("time", 0, 0, 1e12)),
                           entry.text("text"),
                           {}});
            log.back().extra = entry.extra();
        });
        s.extra = in.extra();
        s = first ? withDrumIds(std::move(s)) : withDrums(std::move(s));
        std::vector<std::string> remarks;
        s = withFixedStagesOn(std::move(s), remarks);
        if (const std::string problem = validate(s); !problem.empty()) throw Error(problem);
        Document document(std::move(s), std::move(log));
        for (const std::string& remark : remarks) document.note(remark);
        return document;
    } catch (const Error& error) {
        throw Error("“" + fileName + "”: " + error.what());
    } catch (const Json::exception&) {
        throw Error("“" + fileName + "” holds a value of the wrong kind; open “" + fileName +
                    ".previous” or restore a copy.");
    }
}

std::string chainToJson(std::span<const Stage> chain) {
    Json json{{"format", kChainFormat}, {"version", Session::kVersion}};
    Json& stages = json["stages"] = Json::array();
    for (const Stage& stage : chain) {
        Json one = write(stage);
        for (const char* place : {"id", "mark", "key"}) one.erase(place);
        stages.push_back(std::move(one));
    }
    return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

std::vector<Stage> chainFromJson(const std::string& text, const std::string& fileName) {
    try {
        refuseDeep(text);
        const Json json = Json::parse(text);
        Reader in(json, "chain");
        if (in.text("format") != kChainFormat)
            throw Error("it holds no processors; choose a preset or chain that Ember Cask saved.");
        refuseNewer(in.number("version", 0, 1, 1e6));
        std::vector<Stage> chain;
        in.array("stages", [&](const Json& item, const std::string& at) {
            chain.push_back(readStage(item, at));
        });
        if (chain.empty()) throw in.fault("stages", "a list with at least one processor");
        return chain;
    } catch (const Json::exception&) {
        throw Error("“" + fileName + "” is broken; choose another preset or save it anew.");
    } catch (const Error& error) {
        throw Error("“" + fileName + "”: " + error.what());
    }
}

}  // namespace ember
