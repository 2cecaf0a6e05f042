#include "core/advise/mic_set.h"

#include "core/advise/proposal.h"
#include "core/base/error.h"
#include "core/measure/kit/kit_mics.h"
#include "core/session/bleed.h"
#include "core/session/split.h"

#include <algorithm>

namespace ember {
namespace {

constexpr std::string_view kUpTo = "up-to-";

bool isElement(const Row& row) {
    return row.kind == RowKind::element;
}
bool hearsRoom(const Row& row) {
    return row.role == Role::room;
}
bool isClose(const Session& session, const Row& row) {
    return isElement(row) && playsRecordings(row) && isMicrophone(row.role) &&
           !drumOfRow(session, row.id).empty();
}

// The first close microphone of a family; empty where there is none.
std::string firstOf(const Session& session, DrumFamily family) {
    for (const Row& row : session.rows) {
        if (isClose(session, row) && drumFamily(drumOfRow(session, row.id)) == family)
            return row.id;
    }
    return {};
}

// Buses that elements feed, in the Board's order.
std::vector<std::string> partsOfMix(const Session& session) {
    std::vector<std::string> out;
    for (const Row& row : session.rows) {
        const std::string part = beyondStreams(session, row.parent);
        if (isElement(row) && std::find(out.begin(), out.end(), part) == out.end())
            out.push_back(part);
    }
    return out;
}

// Elements that a set keeps.
std::vector<std::string> keptBy(const Session& session, std::string_view id) {
    std::vector<std::string> out;
    const auto keep = [&](auto wanted) {
        for (const Row& row : session.rows) {
            if (isElement(row) && wanted(row)) out.push_back(row.id);
        }
    };
    if (id == "four") {
        const std::string kick = firstOf(session, DrumFamily::kick),
                          snare = firstOf(session, DrumFamily::snare);
        if (kick.empty() || snare.empty()) return {};
        keep([&](const Row& row) {
            return row.id == kick || row.id == snare || row.role == Role::overhead;
        });
    } else if (id == "no-rooms") {
        keep([](const Row& row) { return !hearsRoom(row); });
    } else if (id == "close") {
        keep([&](const Row& row) { return isClose(session, row); });
    } else if (id == "whole") {
        keep([](const Row& row) { return hearsAll(row.role) && row.role != Role::unknown; });
    } else if (id.starts_with(kUpTo)) {
        const std::vector<std::string> parts = partsOfMix(session);
        const auto last = std::find(parts.begin(), parts.end(), id.substr(kUpTo.size()));
        if (last == parts.end()) return {};
        keep([&](const Row& row) {
            return std::find(parts.begin(), last + 1, beyondStreams(session, row.parent)) !=
                   last + 1;
        });
    }
    return out;
}

bool isASet(const Session& session, std::string_view id) {
    const std::size_t kept = keptBy(session, id).size();
    const auto all = static_cast<std::size_t>(
        std::count_if(session.rows.begin(), session.rows.end(), isElement));
    return kept > 0 && kept < all;
}

// What the first pass would make of these rows if there were no others.
Session plannedAnew(const Session& session, const std::vector<std::string>& kept,
                    const KitMeasurement& measured) {
    std::vector<std::string> rows = kept;
    for (const Row& row : session.rows) {
        if (!isElement(row)) rows.push_back(row.id);
    }
    Session alone = withOnlyRows(session, rows);
    alone.declined.clear();
    for (const std::string& id : kept) {
        Row& row = requireRow(alone, id);
        std::vector<Stage> chain = makeChain(RowKind::element);
        if (const Stage* bleed = findBleed(row)) chain.insert(chain.begin() + 1, *bleed);
        row.chain = std::move(chain);
    }
    for (const Proposal& p : advise(alone, measured, alone.ways)) {
        if (std::find(kept.begin(), kept.end(), p.row) != kept.end())
            alone = accept(std::move(alone), p, measured.strokes);
    }
    Session out = session;
    for (const std::string& id : kept) requireRow(out, id).chain = findRow(alone, id)->chain;
    if (out.strokes.get().empty()) out.strokes = alone.strokes;
    return out;
}

}  // namespace

std::vector<MicSet> micSets(const Session& session) {
    std::vector<MicSet> out;
    for (const auto& [id, name] : std::initializer_list<std::pair<const char*, const char*>>{
             {"four", "Kick, snare and overheads"},
             {"no-rooms", "Without the rooms"},
             {"close", "Close microphones alone"},
             {"whole", "Overheads and rooms alone"}}) {
        if (isASet(session, id)) out.push_back({id, name});
    }
    std::string before;
    for (const std::string& part : partsOfMix(session)) {
        const Row* bus = findRow(session, part);
        const std::string id = std::string(kUpTo) + part, name = bus != nullptr ? bus->name : part;
        before += before.empty() ? name : " + " + name;
        if (isASet(session, id)) out.push_back({id, before});
    }
    return out;
}

Session withMicSet(const Session& session, std::string_view id, const KitMeasurement* measured) {
    if (!isASet(session, id)) {
        std::string known;
        for (const MicSet& set : micSets(session)) known += (known.empty() ? "" : ", ") + set.id;
        throw Error("There is no set of microphones “" + std::string(id) + "” here; known are " +
                    known + ".");
    }
    const std::vector<std::string> kept = keptBy(session, id);
    Session out = measured != nullptr ? plannedAnew(session, kept, *measured) : session;
    for (Row& row : out.rows) {
        row.solo = false;
        if (isElement(row) && std::find(kept.begin(), kept.end(), row.id) == kept.end())
            row.mute = true;
    }
    return out;
}

}  // namespace ember
