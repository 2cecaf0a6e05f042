#include "core/session/session.h"

#include "core/base/error.h"
#include "core/base/text.h"
#include "core/dsp/equaliser.h"
#include "core/session/bleed.h"
#include "core/session/curves.h"
#include "core/session/graph.h"

#include <algorithm>
#include <cmath>
#include <set>
#include <utility>

namespace ember {
namespace {

std::string listIds(const auto& items) {
    std::string list;
    for (const auto& item : items) list += (list.empty() ? "" : ", ") + item.id;
    return list.empty() ? "nothing" : list;
}

template <typename Items>
auto* findById(Items& items, std::string_view id) {
    const auto at =
        std::find_if(items.begin(), items.end(), [&](const auto& item) { return item.id == id; });
    return at == items.end() ? nullptr : &*at;
}

}  // namespace

double tempoHere(const Session& session) {
    return tempoAt(session.time, session.loop.on ? session.loop.from : session.time.start);
}

const Row* findRow(const Session& session, std::string_view id) {
    return findById(session.rows, id);
}
Row* findRow(Session& session, std::string_view id) {
    return findById(session.rows, id);
}
const Stage* findStage(const Row& row, std::string_view id) {
    return findById(row.chain, id);
}
Stage* findStage(Row& row, std::string_view id) {
    return findById(row.chain, id);
}

Row& requireRow(Session& session, std::string_view id) {
    if (Row* row = findRow(session, id)) return *row;
    throw Error("There is no row “" + std::string(id) + "”; the session has " +
                listIds(session.rows) + ".");
}

Stage& requireStage(Row& row, std::string_view id) {
    if (Stage* stage = findStage(row, id)) return *stage;
    throw Error(row.name + " has no processor “" + std::string(id) + "”; it has " +
                listIds(row.chain) + ".");
}

bool hasSources(RowKind kind) {
    return kind != RowKind::bus && kind != RowKind::main;
}

int channelCount(const Row& row) {
    return hasSources(row.kind) && row.layers.empty() && row.sources.size() < 2 ? 1 : 2;
}

bool playsStrokes(const Stage& stage) {
    if (stage.type == "stroke") return true;
    if (stage.type == "pump") return beatOf(stage) <= 0.0;
    const ParameterTable table = processorType(stage.type).table;
    const auto used = [&](const char* id, double from) {
        const int index = parameterIndex(table, id);
        return index >= 0 && stage.values[static_cast<std::size_t>(index)] >= from;
    };
    return used("key-source", 0.5) || used("ghost-lift", 1e-9);
}

bool playsStrokes(const Row& row) {
    return !row.layers.empty() ||
           std::any_of(row.chain.begin(), row.chain.end(),
                       [](const Stage& stage) { return playsStrokes(stage); });
}

bool playsStrokes(const Session& session) {
    return std::any_of(session.rows.begin(), session.rows.end(),
                       [](const Row& row) { return playsStrokes(row); });
}

bool belongsToRow(const Stage& stage) {
    return stage.type == "align" || stage.type == "bleed" || stage.type == "seat";
}

Stage makeStage(std::string_view type) {
    const ProcessorType& t = processorType(type);
    const bool always = t.home == Column::align || t.home == Column::seat;
    return {t.id, t.id, always, Mark::untouched, standardValues(t.table), ""};
}

std::vector<Stage> makeChain(RowKind kind) {
    if (kind == RowKind::reference) return {makeStage("align"), makeStage("seat")};
    if (!hasSources(kind)) return {makeStage("eq"), makeStage("compressor"), makeStage("seat")};
    return {makeStage("align"), makeStage("gate"), makeStage("eq"), makeStage("compressor"),
            makeStage("seat")};
}

std::string makeRowId(const Session& session, std::string_view name) {
    std::string base = hyphenated(name);
    if (base.empty()) base = "row";
    std::string id = base;
    for (int n = 2; findRow(session, id) != nullptr; ++n) id = base + "-" + std::to_string(n);
    return id;
}

Session withValue(Session session, std::string_view rowId, std::string_view stageId,
                  std::string_view parameterId, double value) {
    Row& row = requireRow(session, rowId);
    Stage& stage = requireStage(row, stageId);
    const ProcessorType& type = processorType(stage.type);
    const int index = parameterIndex(type.table, parameterId);
    if (index < 0) {
        throw Error(type.label + " has no parameter “" + std::string(parameterId) + "”; it has " +
                    listIds(type.table) + ".");
    }
    const Parameter& parameter = type.table[static_cast<std::size_t>(index)];
    if (!std::isfinite(value) || value < parameter.minimum || value > parameter.maximum) {
        throw Error(parameter.label + " takes " + formatValue(parameter, parameter.minimum) +
                    " to " + formatValue(parameter, parameter.maximum) + ".");
    }
    stage.values[static_cast<std::size_t>(index)] = value;
    stage.on = true;
    stage.mark = Mark::decided;
    return session;
}

Session withWord(Session session, std::string_view rowId, std::string_view stageId,
                 std::string_view word, std::string text) {
    Stage& stage = requireStage(requireRow(session, rowId), stageId);
    const auto dot = word.find('.');
    const bool known = dot != std::string_view::npos &&
                       parameterIndex(processorType(stage.type).table,
                                      std::string(word.substr(0, dot)) + ".on") >= 0 &&
                       (word.substr(dot) == ".name" || word.substr(dot) == ".why");
    if (!known)
        throw Error(processorType(stage.type).label + " has no text “" + std::string(word) +
                    "”; bands of an EQ have a name and a why (b3.name).");
    if (text.size() > kLongestWord)
        throw Error("That is longer than " + std::to_string(kLongestWord) + " bytes; shorten it.");
    if (text.empty()) {
        stage.words.erase(std::string(word));
    } else {
        stage.words.insert_or_assign(std::string(word), std::move(text));
    }
    return session;
}

std::string eqBandName(const Stage& stage, int band, double note, std::span<const double> rings) {
    const auto own = stage.words.find(eqBandId(band) + ".name");
    return own != stage.words.end() ? own->second
                                    : eqBandLabel(eqBand(stage.values, band), note, rings);
}

std::string parameterLabel(const Stage& stage, std::size_t index) {
    const std::string& label = processorType(stage.type).table[index].label;
    if (stage.type != "eq" || index >= static_cast<std::size_t>(kEqAmount)) return label;
    const auto word = label.find(' ', std::string_view("Band ").size());
    return eqBandName(stage, static_cast<int>(index) / kEqFields) + label.substr(word);
}

Session withoutEqBand(Session session, std::string_view rowId, std::string_view stageId, int band) {
    Stage& stage = requireStage(requireRow(session, rowId), stageId);
    const ParameterTable table = processorType(stage.type).table;
    const auto from = static_cast<std::size_t>(eqIndex(band, EqField::on));
    for (std::size_t i = from; i < from + kEqFields; ++i) stage.values[i] = table[i].standard;
    const std::string id = eqBandId(band);
    stage.words.erase(id + ".name");
    stage.words.erase(id + ".why");
    std::erase_if(stage.curves, [&](const Curve& c) { return c.parameter.starts_with(id + "."); });
    stage.mark = Mark::decided;
    return session;
}

Session withStageOn(Session session, std::string_view rowId, std::string_view stageId, bool on) {
    Row& row = requireRow(session, rowId);
    Stage& stage = requireStage(row, stageId);
    if (!on && (stage.type == "align" || stage.type == "seat"))
        throw Error(processorType(stage.type).label + " of “" + row.name +
                    "” is never off; reset its values instead.");
    stage.on = on;
    stage.mark = Mark::decided;
    return session;
}

namespace {

void refuseFixed(std::string_view type) {
    if (type == "align" || type == "seat")
        throw Error("Every row has exactly one align and one seat; choose another processor.");
}

std::string freeStageId(const Row& row, const std::string& base) {
    std::string id = base;
    for (int n = 2; findStage(row, id) != nullptr; ++n) id = base + "-" + std::to_string(n);
    return id;
}

}  // namespace

Session withKey(Session session, std::string_view rowId, std::string_view stageId,
                std::string_view key) {
    Stage& stage = requireStage(requireRow(session, rowId), stageId);
    const ProcessorType& type = processorType(stage.type);
    if (!type.hasKey) throw Error(type.label + " has no detector that something else could drive.");
    if (!key.empty()) requireRow(session, key);
    stage.key = std::string(key);
    if (const std::string problem = validate(session); !problem.empty()) throw Error(problem);
    return session;
}

Session withStageAdded(Session session, std::string_view rowId, std::string_view type,
                       std::string_view after) {
    refuseFixed(type);
    Row& row = requireRow(session, rowId);
    Stage stage = makeStage(type);
    stage.id = freeStageId(row, stage.id);
    auto at = row.chain.end() - 1;  // before the seat
    if (type == "bleed") {
        at = row.chain.begin() + 1;  // it plays the recording, before anything is done to it
    } else if (!after.empty()) {
        at = row.chain.begin() + (&requireStage(row, after) - row.chain.data()) + 1;
        if (at > row.chain.end() - 1) at = row.chain.end() - 1;
    } else {
        const Column home = processorType(type).home;
        at = std::find_if(row.chain.begin(), row.chain.end() - 1,
                          [&](const Stage& s) { return processorType(s.type).home > home; });
    }
    row.chain.insert(at, std::move(stage));
    if (std::string problem = bleedProblem(row); !problem.empty()) throw Error(problem);
    return session;
}

Session withStageDuplicated(Session session, std::string_view rowId, std::string_view stageId) {
    Row& row = requireRow(session, rowId);
    Stage copy = requireStage(row, stageId);
    refuseFixed(copy.type);
    const auto at = &requireStage(row, stageId) - row.chain.data();
    copy.id = freeStageId(row, copy.type);
    row.chain.insert(row.chain.begin() + at + 1, std::move(copy));
    if (std::string problem = bleedProblem(row); !problem.empty()) throw Error(problem);
    return session;
}

Session withStageRemoved(Session session, std::string_view rowId, std::string_view stageId) {
    Row& row = requireRow(session, rowId);
    const Stage& stage = requireStage(row, stageId);
    refuseFixed(stage.type);
    row.chain.erase(row.chain.begin() + (&stage - row.chain.data()));
    return session;
}

Session withPreset(Session session, std::string_view rowId, std::string_view stageId,
                   const Stage& preset) {
    Stage& stage = requireStage(requireRow(session, rowId), stageId);
    if (stage.type != preset.type)
        throw Error("That is a preset for " + processorType(preset.type).label + ", not for " +
                    processorType(stage.type).label + "; choose another one.");
    stage.values = preset.values;
    stage.words = preset.words;
    stage.drums = preset.drums;
    stage.controls = preset.controls;
    stage.on = preset.on;
    stage.mark = Mark::decided;
    return session;
}

Session withChain(Session session, std::string_view rowId, std::vector<Stage> chain) {
    Row& row = requireRow(session, rowId);
    std::erase_if(row.chain, [](const Stage& s) { return !belongsToRow(s); });
    for (Stage& stage : chain) {
        if (belongsToRow(stage)) continue;
        stage.id = freeStageId(row, stage.type);
        stage.mark = Mark::decided;
        stage.curves.clear();  // they belong to the song of another row
        row.chain.insert(row.chain.end() - 1, std::move(stage));
    }
    return session;
}

Session withSoloStepped(Session session, std::string_view rowId) {
    const Row& row = requireRow(session, rowId);
    const Row* bus = findRow(session, row.parent);
    if (bus != nullptr && bus->kind != RowKind::bus) bus = nullptr;
    const std::string next = row.solo                      ? (bus != nullptr ? bus->id : "")
                             : bus != nullptr && bus->solo ? std::string()
                                                           : row.id;
    for (Row& r : session.rows) r.solo = r.id == next;
    return session;
}

Session withStageMoved(Session session, std::string_view rowId, std::string_view stageId,
                       int steps) {
    Row& row = requireRow(session, rowId);
    const Stage* stage = &requireStage(row, stageId);
    if (belongsToRow(*stage))
        throw Error("Align stays first, with Bleed behind it, and Seat last in every chain.");
    auto at = stage - row.chain.data();
    while (steps != 0) {
        const auto to = at + (steps > 0 ? 1 : -1);
        if (to < 0 || to >= static_cast<std::ptrdiff_t>(row.chain.size()) ||
            belongsToRow(row.chain[static_cast<std::size_t>(to)]))
            break;
        std::swap(row.chain[static_cast<std::size_t>(at)], row.chain[static_cast<std::size_t>(to)]);
        at = to;
        steps += steps > 0 ? -1 : 1;
    }
    return session;
}

Session withOnlyRows(Session session, const std::vector<std::string>& rows) {
    const auto stays = [&](const std::string& id) {
        return std::find(rows.begin(), rows.end(), id) != rows.end();
    };
    const std::string main = mainRow(session);
    std::erase_if(session.rows, [&](const Row& row) { return !stays(row.id); });
    for (Row& row : session.rows) {
        row.mute = row.solo = false;
        if (!row.parent.empty() && !stays(row.parent)) row.parent = main;
        std::erase_if(row.sends,
                      [&](const Send& send) { return !stays(send.to) || send.to == row.parent; });
        for (Stage& stage : row.chain) {
            if (!stage.key.empty() && !stays(stage.key)) stage.key.clear();
        }
    }
    return session;
}

std::string mainRow(const Session& session) {
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::main) return row.id;
    }
    return {};
}

std::string validate(const Session& session) {
    std::set<std::string> ids;
    int mains = 0;
    for (const Row& row : session.rows) {
        // Ids become file names of stems.
        if (row.id.find_first_of("/\\") != std::string::npos || row.id.starts_with('.'))
            return "The row id “" + row.id + "” is no file name; take letters, digits and hyphens.";
        if (!ids.insert(row.id).second)
            return "Two rows are called “" + row.id + "”; give one another id.";
        mains += row.kind == RowKind::main ? 1 : 0;
        if (row.sources.size() > 2)
            return "“" + row.name + "” has more than two channels; split it into several rows.";
        if (!row.sources.empty() && !row.layers.empty())
            return "“" + row.name +
                   "” has a recording and layers; give its layers a row of their own.";
        if (!row.layers.empty() && row.kind != RowKind::element)
            return "“" + row.name + "” has layers and is no element; make it one.";
        if (hasSources(row.kind) == (row.sources.empty() && row.layers.empty())) {
            return hasSources(row.kind)
                       ? "“" + row.name + "” has no recording; add one or remove the row."
                       : "The bus “" + row.name +
                             "” has a recording of its own; move it to an element.";
        }
        if (row.chain.empty() || row.chain.back().type != "seat")
            return "The chain of “" + row.name + "” must end with its seat.";
        if (hasSources(row.kind) && row.chain.front().type != "align")
            return "The chain of “" + row.name + "” must begin with align.";
        if (row.frozen && (row.kind == RowKind::main || row.kind == RowKind::reference))
            return "“" + row.name + "” cannot be frozen; let it play live.";
        std::set<std::string> layers;
        for (const Layer& layer : row.layers) {
            if (!layers.insert(layer.id).second)
                return "“" + row.name + "” has two layers called “" + layer.id + "”; rename one.";
        }
        std::set<std::string> stages;
        int ends = 0;
        for (const Stage& stage : row.chain) {
            if (!stages.insert(stage.id).second)
                return "“" + row.name + "” has two processors called “" + stage.id +
                       "”; rename one.";
            ends += stage.type == "align" || stage.type == "seat" ? 1 : 0;
        }
        if (ends != (hasSources(row.kind) ? 2 : 1))
            return "“" + row.name + "” may have one align and one seat only.";
        if (std::string problem = bleedProblem(row); !problem.empty()) return problem;
        if (std::string problem = curveProblem(session, row); !problem.empty()) return problem;
    }
    if (mains != 1)
        return "A session needs exactly one main row; this one has " + std::to_string(mains) + ".";
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::main || row.kind == RowKind::reference) continue;
        const std::vector<const Row*> way = wayOut(session, row.id);
        if (way.size() > session.rows.size())
            return "“" + row.name + "” feeds itself through its buses; route it towards main.";
        for (std::size_t i = 0; way[i]->kind != RowKind::main; ++i) {
            if (i + 1 == way.size() || hasSources(way[i + 1]->kind))
                return "“" + way[i]->name + "” feeds “" + way[i]->parent +
                       "”, which is no bus; route it to a bus or to main.";
        }
        for (const Stage& stage : row.chain) {
            if (stage.key.empty() || findRow(session, stage.key) != nullptr) continue;
            return "“" + row.name + "” is keyed by “" + stage.key +
                   "”, which is no row; choose another key.";
        }
    }
    for (const Row& row : session.rows) {
        std::set<std::string_view> to;
        if (!row.sends.empty() && (row.kind == RowKind::main || row.kind == RowKind::reference))
            return "“" + row.name + "” goes nowhere else; remove its sends.";
        for (const Send& send : row.sends) {
            const Row* target = findRow(session, send.to);
            if (target == nullptr || hasSources(target->kind))
                return "“" + row.name + "” is sent to “" + send.to +
                       "”, which is no bus; send it to a bus or to main.";
            if (send.to == row.parent)
                return "“" + row.name + "” feeds “" + target->name +
                       "” already; send it to another bus.";
            if (!to.insert(send.to).second)
                return "“" + row.name + "” is sent to “" + target->name + "” twice; remove one.";
        }
    }
    if (const std::vector<std::string> loop = loopOf(session); !loop.empty()) {
        std::string way;
        for (const std::string& id : loop)
            way += (way.empty() ? "“" : " → “") + findRow(session, id)->name + "”";
        return "The sound comes round to itself: " + way + "; take one of these ways away.";
    }
    return {};
}

}  // namespace ember
