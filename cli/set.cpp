#include "cli/set.h"

#include "cli/edit.h"
#include "core/base/error.h"
#include "core/measure/separate/kept_models.h"
#include "core/session/bleed.h"
#include "core/session/diff.h"
#include "core/session/file.h"
#include "core/session/kit.h"
#include "core/session/routing.h"
#include "core/session/split.h"

#include <CLI/CLI.hpp>

#include <algorithm>

namespace ember::cli {
namespace fs = std::filesystem;

const Row& rowByIdOrName(const Session& session, const std::string& text) {
    if (const Row* row = findRow(session, text)) return *row;
    for (const Row& row : session.rows) {
        if (CLI::detail::to_lower(row.name) == CLI::detail::to_lower(text)) return row;
    }
    std::string known;
    for (const Row& row : session.rows) known += (known.empty() ? "" : ", ") + row.id;
    throw Error("There is no row “" + text + "”; the session has " + known + ".");
}

namespace {

bool switchFrom(const std::string& text) {
    if (text == "on" || text == "1" || text == "true" || text == "yes") return true;
    if (text == "off" || text == "0" || text == "false" || text == "no") return false;
    throw Error("“" + text + "” is no switch position: type on or off.");
}

// The note wanted of a drum, named by itself or by a row that stands at it: "196", "196 Hz" or
// "none".
Session withNote(Session session, const std::string& element, const std::string& value) {
    const auto named = std::find_if(session.rows.begin(), session.rows.end(), [&](const Row& r) {
        return !r.drum.empty() && (r.id == element || r.name == element);
    });
    const std::string drum =
        named != session.rows.end() ? named->drum : requireDrum(session, element);
    static const Parameter note{
        "note", "Note", Unit::hertz, 20.0, 1000.0, 100.0, Scale::logarithmic, "", {}};
    return withNoteTarget(std::move(session), drum,
                          value == "none" ? 0.0 : parseValue(note, value));
}

// What a row has beside its chain, or the session by its main.
Session withRowSet(Session next, const std::string& row, const std::string& what,
                   const std::string& value) {
    Row& r = requireRow(next, row);
    const auto ofSession = [&] {
        if (r.kind != RowKind::main)
            throw Error("The " + what + " belongs to the whole session: set it on the row “" +
                        mainRow(next) + "”.");
    };
    if (what == "mute" || what == "solo") {
        (what == "mute" ? r.mute : r.solo) = switchFrom(value);
    } else if (what == "name") {
        next = withName(std::move(next), row, value);
    } else if (what == "role") {
        next = withRole(std::move(next), row, roleFrom(value));
    } else if (what == "feeds") {
        const std::string bus = rowByIdOrName(next, value).id;
        next = withBus(std::move(next), row, bus);
    } else if (what == "pair") {
        const std::string right = rowByIdOrName(next, value).id;
        next = withPaired(std::move(next), row, right);
    } else if (what == "sides") {
        if (value != "part" && value != "exchange")
            throw Error("The sides of a pair take part or exchange.");
        next = value == "part" ? withParted(std::move(next), row)
                               : withSidesExchanged(std::move(next), row);
    } else if (what == "style") {
        ofSession();
        next.style = styleFrom(value);
    } else if (what.starts_with("way-")) {
        ofSession();
        next = withWay(std::move(next), what.substr(4), value);
    } else {
        throw Error("“" + what +
                    "” names no parameter: write PROCESSOR.PARAMETER, for example "
                    "gate.threshold, or mute, solo, name, role, feeds, pair, sides, note, "
                    "style or way-STEP.");
    }
    return next;
}

// A drum in a row: the kit is taken apart for it where it was not; what other rows play by stays.
Session withDrumSet(Session session, const fs::path& file, const std::string& row,
                    const std::string& drum, const std::string& value) {
    const double db = parseDrumGain(value);
    AudioStore store;
    bringModelsFrom(session, store, file);
    std::string model = bleedModelOf(session);
    if (findBleedModel(store, model) == nullptr)
        model = takeApart(withAbsolutePaths(session, file), store);
    return withDrumTurned(std::move(session), row, drum, db, model);
}

// A parameter, word or switch of a processor.
Session withStageSet(Session session, const fs::path& file, const std::string& row,
                     const std::string& stageId, const std::string& parameter,
                     const std::string& value) {
    if (stageId == "bleed" && parameter != "on" &&
        parameterIndex(processorType("bleed").table, parameter) < 0)
        return withDrumSet(std::move(session), file, row, parameter, value);
    const ProcessorType& type = processorType(requireStage(requireRow(session, row), stageId).type);
    const int index = parameterIndex(type.table, parameter);
    if (index < 0 && (parameter.ends_with(".name") || parameter.ends_with(".why")))
        return withWord(std::move(session), row, stageId, parameter,
                        value == "none" ? std::string() : value);
    if (parameter == "on" && index < 0)
        return withStageOn(std::move(session), row, stageId, switchFrom(value));
    const double number = index < 0 ? 0.0
                                    : parseValue(type.table[static_cast<std::size_t>(index)], value,
                                                 tempoHere(session));
    return withStreamValue(std::move(session), row, stageId, parameter, number);
}

}  // namespace

void set(const Output& out, const fs::path& file, const std::string& element,
         const std::string& what, const std::string& value) {
    Document document = loadDocument(file);
    Session next = document.session();
    const auto dot = what.find('.');
    if (what == "note") {
        next = withNote(std::move(next), element, value);
    } else {
        const std::string row = rowByIdOrName(next, element).id;
        next = dot == std::string::npos
                   ? withRowSet(std::move(next), row, what, value)
                   : withStageSet(std::move(next), file, row, what.substr(0, dot),
                                  what.substr(dot + 1), value);
    }
    if (playsStrokes(next) && next.strokes.get().empty())
        next = withStrokesHeard(std::move(next), file);
    const SessionDiff changes = diff(document.session(), next);
    document.edit(std::move(next));
    keepModelsBeside(document.session(), AudioStore(), file);
    saveDocument(file, document);
    out.machine({{"changes", changes.sentences()}});
    for (const std::string& sentence : changes.sentences()) out.say(sentence);
    if (changes.sentences().empty()) out.say("Nothing changed.");
}

}  // namespace ember::cli
