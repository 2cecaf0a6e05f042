#include "core/advise/intake.h"
#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/session/kit.h"
#include "core/session/routing.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ember {
namespace {

struct Group {
    const char* id;
    const char* name;
};
constexpr std::array<Group, 6> kGroups{{{"kick-bus", "Kick"},
                                        {"snare-bus", "Snare"},
                                        {"tom-bus", "Toms"},
                                        {"cymbal-bus", "Cymbals"},
                                        {"room-bus", "Rooms"},
                                        {"percussion-bus", "Percussion"}}};

Row makeRow(const Session& session, const IntakeEntry& entry, std::string parent) {
    Row row;
    row.id = makeRowId(session, entry.name);
    row.name = entry.name;
    row.kind = entry.kind;
    row.role = entry.role;
    row.who = entry.who;
    row.sources = entry.sources;
    row.layers = entry.layers;
    row.chain = makeChain(entry.kind);
    row.parent = std::move(parent);
    return row;
}

Row makeBus(const Session& session, std::string_view id, std::string name, RowKind kind,
            std::string parent) {
    Row row;
    row.id = findRow(session, id) == nullptr ? std::string(id) : makeRowId(session, id);
    row.name = std::move(name);
    row.kind = kind;
    row.chain = makeChain(kind);
    row.parent = std::move(parent);
    return row;
}

// Where an element that comes later is heard: with those of its group, wherever a person took them.
std::string homeOf(const Session& session, Role role) {
    const std::string_view group = busOf(role);
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::element && busOf(row.role) == group && !row.parent.empty())
            return row.parent;
    }
    if (findRow(session, group) != nullptr) return std::string(group);
    const auto drums = std::find_if(session.rows.begin(), session.rows.end(), isDrumBus);
    return drums != session.rows.end() ? drums->id : session.rows.back().id;
}

}  // namespace

Session withTakenIn(Session session, const Intake& intake) {
    if (intake.entries.empty() || session.rows.empty())
        throw Error("There is nothing to add, or nothing to add it to: open a session first.");
    for (const IntakeEntry& e : intake.entries) {
        const std::string parent = e.kind == RowKind::reference ? std::string()
                                   : e.kind == RowKind::guest   ? session.rows.back().id
                                                                : homeOf(session, e.role);
        Row row = makeRow(session, e, parent);
        const std::string id = row.id;
        session.rows.insert(session.rows.end() - 1, std::move(row));
        if (!parent.empty()) seatRow(session, id);
    }
    session = withDrums(std::move(session));
    if (const std::string problem = validate(session); !problem.empty()) throw Error(problem);
    return session;
}

Session withHeadroom(Session session, AudioStore& store, const Progress& progress) {
    const auto bus = std::find_if(session.rows.begin(), session.rows.end(), isDrumBus);
    // Layers without a stroke or note are silence.
    const bool sounds = std::any_of(session.rows.begin(), session.rows.end(), playsRecordings) ||
                        !session.pattern.get().notes.empty() || !session.strokes.get().empty();
    if (bus == session.rows.end() || !sounds) return session;
    const AudioBuffer mix = renderMix(session, store, {}, nullptr, progress);
    float peak = 0.0F;
    for (const auto& channel : mix.channels) {
        for (const float x : channel) peak = std::max(peak, std::abs(x));
    }
    const double over = dbFromGain(static_cast<double>(peak)) + 6.0;
    if (over <= 0.0) return session;
    Stage& seat = requireStage(*bus, "seat");
    const int level = parameterIndex(processorType("seat").table, "level");
    seat.values[static_cast<std::size_t>(level)] -= std::ceil(over * 2.0) / 2.0;
    return session;
}

Session sessionFrom(const Intake& intake, AudioStore& store, const Progress& progress) {
    Session session;
    if (!intake.name.empty()) session.name = intake.name;
    session.sampleRate = intake.sampleRate;
    session.time = steadyTime(intake.tempo, intake.firstBeat);
    const std::string drumBus = "drum-bus";
    bool anyDrum = false;
    for (const Group& group : kGroups) {
        std::vector<const IntakeEntry*> members;
        for (const IntakeEntry& e : intake.entries) {
            if (e.kind == RowKind::element && busOf(e.role) == group.id) members.push_back(&e);
        }
        if (members.empty()) continue;
        anyDrum = true;
        std::stable_sort(members.begin(), members.end(),
                         [&](const IntakeEntry* a, const IntakeEntry* b) {
                             return kitOrder(a->role) < kitOrder(b->role);
                         });
        // A bus with one member would only repeat it.
        const bool bus = members.size() > 1;
        for (const IntakeEntry* e : members)
            session.rows.push_back(makeRow(session, *e, bus ? group.id : drumBus));
        if (!bus) continue;
        Row row = makeBus(session, group.id, group.name, RowKind::bus, drumBus);
        if (row.id != group.id) {
            for (Row& r : session.rows) {
                if (r.parent == group.id) r.parent = row.id;
            }
        }
        session.rows.push_back(std::move(row));
    }
    if (intake.entries.empty())
        throw Error("There is nothing to mix yet: add at least one recording.");
    if (anyDrum) {
        Row bus = makeBus(session, drumBus, "Drum bus", RowKind::bus, "main");
        for (Row& r : session.rows) {
            if (r.parent == drumBus) r.parent = bus.id;
        }
        session.rows.push_back(std::move(bus));
    }
    for (const RowKind kind : {RowKind::guest, RowKind::reference}) {
        for (const IntakeEntry& e : intake.entries) {
            if (e.kind == kind)
                session.rows.push_back(makeRow(session, e, kind == RowKind::guest ? "main" : ""));
        }
    }
    Row main = makeBus(session, "main", "Main", RowKind::main, "");
    for (Row& r : session.rows) {
        if (r.parent == "main") r.parent = main.id;
    }
    session.rows.push_back(std::move(main));
    session = withDrums(std::move(session));
    if (const std::string problem = validate(session); !problem.empty()) throw Error(problem);
    return withHeadroom(std::move(session), store, progress);
}

}  // namespace ember
