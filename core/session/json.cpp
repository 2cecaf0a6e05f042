// Sessions, chains and presets as JSON text, and back.

#include "core/session/ceiling.h"
#include "core/session/control.h"
#include "core/session/file.h"
#include "core/session/json_reader.h"
#include "core/session/json_row.h"
#include "core/session/json_snapshot.h"
#include "core/session/migrate.h"
#include "core/session/range.h"

#include <set>

namespace ember {
namespace {

using Json = nlohmann::ordered_json;

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

Json timeJson(const TimeMap& time) {
    Json tempos = Json::array(), metres = Json::array();
    for (const TempoChange& t : time.tempos)
        tempos.push_back({{"quarter", t.quarter}, {"bpm", t.bpm}});
    for (const MetreChange& m : time.metres)
        metres.push_back({{"bar", m.bar}, {"beats", m.beats}, {"unit", m.unit}});
    return {{"start", time.start}, {"tempos", std::move(tempos)}, {"metres", std::move(metres)}};
}

TimeMap timeFromJson(const Json& json, const std::string& place) {
    Reader in(json, place);
    TimeMap time{in.number("start", 0.0, -86400.0, 86400.0), {}, {}};
    in.array("tempos", [&](const Json& item, const std::string& at) {
        Reader tempo(item, at);
        time.tempos.push_back({tempo.number("quarter", 0.0, 0.0, 1e7),
                               tempo.number("bpm", 120.0, kSlowestTempo, kFastestTempo)});
    });
    in.array("metres", [&](const Json& item, const std::string& at) {
        Reader metre(item, at);
        time.metres.push_back({static_cast<int>(metre.number("bar", 0, 0, 1e6)),
                               static_cast<int>(metre.number("beats", 4, 1, 32)),
                               static_cast<int>(metre.number("unit", 4, 1, 32))});
    });
    if (const std::string problem = problemIn(time); !problem.empty())
        throw Error(place + ": " + problem);
    return time;
}

void refuseTwins(const std::vector<Snapshot>& snapshots) {
    std::set<std::string> ids;
    for (const Snapshot& s : snapshots) {
        if (!ids.insert(s.id).second)
            throw Error("two snapshots are called “" + s.id + "”; give one another id.");
    }
}

}  // namespace

std::string toJson(const Document& document) {
    const Session& s = document.session();
    Json json{{"format", "ember-cask session"},
              {"version", Session::kVersion},
              {"name", s.name},
              {"sampleRate", s.sampleRate},
              {"time", timeJson(s.time)},
              {"style", toString(s.style)}};
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
    for (const Row& row : s.rows) rows.push_back(toJson(row));
    if (!s.strokes.get().empty()) {
        Json& strokes = json["strokes"] = Json::array();
        for (const Stroke& stroke : s.strokes.get()) strokes.push_back(toJson(stroke));
    }
    if (!s.pattern.get().notes.empty()) json["pattern"] = toJson(s.pattern.get());
    if (!s.keys.empty()) {
        Json& keys = json["keys"] = Json::array();
        for (const KeyMapping& k : s.keys)
            keys.push_back({{"key", k.key}, {"drum_id", k.drum}, {"articulation", k.articulation}});
    }
    if (!s.strokeEdits.empty()) {
        Json& edits = json["strokeEdits"] = Json::array();
        for (const StrokeEdit& edit : s.strokeEdits) {
            edits.push_back({{"remove", edit.remove}, {"stroke", toJson(edit.stroke)}});
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
    if (!s.budgets.empty()) {
        Json& budgets = json["budgets"] = Json::array();
        for (const StepBudget& b : s.budgets)
            budgets.push_back({{"step", toString(b.step)}, {"minutes", b.minutes}});
    }
    if (s.ceiling) {
        Json& ceiling = json["ceiling"] = {{"window", s.ceiling->windowMs},
                                           {"average", s.ceiling->averageMs},
                                           {"slope", s.ceiling->slopeDb}};
        Json& points = ceiling["points"] = Json::array();
        for (const CeilingPoint& p : s.ceiling->points)
            points.push_back({{"hertz", p.hertz}, {"level", p.db}});
    }
    if (!s.ranges.empty()) {
        Json& ranges = json["ranges"] = Json::array();
        for (const RangeBudget& b : s.ranges)
            ranges.push_back(
                {{"row", b.row}, {"keeps", b.moves ? "moving" : "even"}, {"range", b.lu}});
    }
    if (!s.together.empty()) json["together"] = s.together;
    if (!s.snapshots.empty()) {
        Json& snapshots = json["snapshots"] = Json::array();
        for (const Snapshot& snapshot : s.snapshots) snapshots.push_back(toJson(snapshot));
    }
    Json& log = json["logbook"] = Json::array();
    for (const LogEntry& entry : document.log()) {
        Json line{{"time", entry.time}, {"text", entry.what.text}};
        for (const auto& [name, text] : {std::pair{"row", entry.what.row},
                                         {"stage", entry.what.stage},
                                         {"parameter", entry.what.parameter},
                                         {"from", entry.what.from},
                                         {"to", entry.what.to},
                                         {"reason", entry.reason},
                                         {"proposal", entry.proposal}}) {
            if (!text.empty()) line[name] = text;
        }
        if (entry.note) line["note"] = true;
        if (entry.at) line["at"] = *entry.at;
        keepUnknown(line, entry.extra);
        log.push_back(std::move(line));
    }
    keepUnknown(json, s.extra);
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
        Reader head(json, "session");
        if (head.text("format") != "ember-cask session")
            throw Error("it is not an Ember Cask session; choose a file that Ember Cask saved.");
        const double version = head.number("version", 0, 1, 1e6);
        refuseNewer(version);
        const bool first = version == 1.0;
        if (first) renameDrumFields(json);
        if (version < 4.0) gatherTime(json);
        Reader in(json, "session");
        for (const char* known : {"format", "version"}) in.field(known);
        Session s;
        s.name = in.text("name", "Untitled");
        s.sampleRate = static_cast<int>(in.number("sampleRate", 48000, 8000, 384000));
        if (const Json* time = in.field("time")) s.time = timeFromJson(*time, "session.time");
        s.style = styleFrom(in.text("style", "any"));
        if (const Json* ways = in.field("ways")) {
            Reader by(*ways, "session.ways");
            for (const auto& [step, names] : waysByStep())
                s = withWay(std::move(s), step, by.text(step.c_str(), names.front()));
        }
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
            s.rows.push_back(rowFromJson(item, at));
        });
        std::vector<Stroke> strokes;
        in.array("strokes", [&](const Json& item, const std::string& at) {
            strokes.push_back(strokeFromJson(item, at));
        });
        sortByTime(strokes);
        if (!strokes.empty()) s.strokes = Shared(std::move(strokes));
        if (const Json* pattern = in.field("pattern"))
            s.pattern = Shared(patternFromJson(*pattern, "session.pattern"));
        in.array("keys", [&](const Json& item, const std::string& at) {
            Reader key(item, at);
            s.keys.push_back({static_cast<int>(key.number("key", 0, 0, 127)), key.text("drum_id"),
                              static_cast<int>(key.number("articulation", 0, 0, 15))});
        });
        in.array("strokeEdits", [&](const Json& item, const std::string& at) {
            Reader edit(item, at);
            const bool remove = edit.flag("remove", false);
            const Json* stroke = edit.field("stroke");
            if (stroke == nullptr) throw edit.fault("stroke", "a stroke");
            s.strokeEdits.push_back({remove, strokeFromJson(*stroke, at + ".stroke")});
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
        in.array("budgets", [&](const Json& item, const std::string& at) {
            Reader budget(item, at);
            const Column step = stepFrom(budget.requiredText("step"));
            s = withStepBudget(std::move(s), step, budget.number("minutes", 0.0, 0.0, 10000.0));
        });
        if (const Json* ceiling = in.field("ceiling")) {
            Reader line(*ceiling, "session.ceiling");
            Ceiling c;
            c.windowMs = line.number("window", c.windowMs, kCeilingWindow.low, kCeilingWindow.high);
            c.averageMs =
                line.number("average", c.averageMs, kCeilingAverage.low, kCeilingAverage.high);
            c.slopeDb = line.number("slope", c.slopeDb, kCeilingSlope.low, kCeilingSlope.high);
            line.array("points", [&](const Json& item, const std::string& at) {
                Reader point(item, at);
                c.points.push_back(
                    {point.number("hertz", 1000.0, kCeilingHertz.low, kCeilingHertz.high),
                     point.number("level", -12.0, kCeilingDb.low, kCeilingDb.high)});
            });
            s = withCeiling(std::move(s), std::move(c));
        }
        in.array("ranges", [&](const Json& item, const std::string& at) {
            Reader range(item, at);
            RangeBudget budget{range.requiredText("row")};
            const std::string keeps = range.text("keeps", "even");
            budget.moves = keeps == "moving";
            if (!budget.moves && keeps != "even") throw range.fault("keeps", "“even” or “moving”");
            budget.lu = range.number("range", 0.0, 0.0, kMostRange);
            // Its row may be gone, and come back with a snapshot.
            s = withoutRangeBudget(std::move(s), budget.row);
            s.ranges.push_back(std::move(budget));
        });
        in.array("together", [&](const Json& item, const std::string& at) {
            if (!item.is_string()) throw Error(at + " should be a text; remove it.");
            s = withControlTogether(std::move(s), item.get<std::string>(), true);
        });
        in.array("snapshots", [&](const Json& item, const std::string& at) {
            s.snapshots.push_back(snapshotFromJson(item, at));
        });
        std::vector<LogEntry> log;
        in.array("logbook", [&](const Json& item, const std::string& at) {
            Reader entry(item, at);
            LogEntry line{static_cast<std::int64_t>(entry.number("time", 0, 0, 1e12)),
                          {entry.text("text"), entry.text("row"), entry.text("stage"),
                           entry.text("parameter"), entry.text("from"), entry.text("to")},
                          entry.text("reason"),
                          entry.text("proposal")};
            line.note = entry.flag("note", false);
            if (entry.field("at") != nullptr) line.at = entry.number("at", 0.0, 0.0, 86400.0);
            line.extra = entry.extra();
            log.push_back(std::move(line));
        });
        s.extra = in.extra();
        s = first ? withDrumIds(std::move(s)) : withDrums(std::move(s));
        std::vector<std::string> remarks;
        s = withFixedStagesOn(std::move(s), remarks);
        if (const std::string problem = validate(s); !problem.empty()) throw Error(problem);
        refuseTwins(s.snapshots);
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
        Json one = toJson(stage);
        for (const char* place : {"id", "mark", "key", "curves"}) one.erase(place);
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
            chain.push_back(stageFromJson(item, at));
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
