#include "core/session/bleed.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/session/drum.h"
#include "core/session/routing.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

namespace ember {
namespace {

// The word of a bleed stage that names the microphone its row plays a part of.
constexpr std::string_view kOfMic = "mic";

// What nobody put a microphone to is known by its kind.
bool isUsual(std::string_view drum) {
    constexpr std::array<std::string_view, 6> usual{"kick", "snare",  "hihat",
                                                    "tom",  "cymbal", kNoDrum};
    return std::find(usual.begin(), usual.end(), drum) != usual.end();
}

std::string drumIn(const Session& session, std::string_view drum) {
    return isUsual(drum) ? std::string(drum) : requireDrum(session, drum);
}

}  // namespace

const Stage* findBleed(const Row& row) {
    const auto at = std::find_if(row.chain.begin(), row.chain.end(),
                                 [](const Stage& s) { return s.type == "bleed"; });
    return at != row.chain.end() ? &*at : nullptr;
}

Stage* findBleed(Row& row) {
    return const_cast<Stage*>(findBleed(std::as_const(row)));  // the row is no constant
}

std::string bleedText(double db) {
    return db <= kBleedLowest ? "silent" : db == 0.0 ? "0 dB" : changeText(db, 1) + " dB";
}

double parseDrumGain(const std::string& text) {
    static const Parameter gain{"gain",        "A drum", Unit::dB, kBleedLowest, kBleedHighest, 0.0,
                                Scale::linear, "",       {}};
    return text == "silent" ? kBleedLowest : parseValue(gain, text);
}

double drumGain(const Row& row, std::string_view drum) {
    const Stage* stage = findBleed(row);
    if (stage == nullptr) return 0.0;
    const auto at = stage->drums.find(drum);
    return at != stage->drums.end() ? at->second : 0.0;
}

std::string bleedModelOf(const Session& session) {
    for (const Row& row : session.rows) {
        if (const Stage* stage = findBleed(row); stage != nullptr && !stage->data.empty())
            return stage->data;
    }
    return {};
}

Session withBleed(Session session, std::string_view rowId, const std::string& model) {
    Row& row = requireRow(session, rowId);
    if (findBleed(row) == nullptr) session = withStageAdded(std::move(session), rowId, "bleed");
    return withBleedModel(std::move(session), model);
}

Session withDrumGain(Session session, std::string_view rowId, std::string_view drum, double db) {
    Row& row = requireRow(session, rowId);
    Stage* const at = findBleed(row);
    if (at == nullptr)
        throw Error("“" + row.name + "” has no bleed step; add one to turn drums up and down.");
    const std::string id = drumIn(session, drum);
    if (!std::isfinite(db) || db < kBleedLowest || db > kBleedHighest) {
        throw Error("A drum is turned to " + numberText(kBleedLowest, 0) + " dB (silent) up to " +
                    changeText(kBleedHighest, 0) + " dB.");
    }
    if (db == 0.0) {
        at->drums.erase(id);
    } else {
        at->drums.insert_or_assign(id, db);
    }
    at->on = true;
    at->mark = Mark::decided;
    return session;
}

Session withDrumTurned(Session session, std::string_view row, std::string_view drum, double db,
                       const std::string& model) {
    const Stage* stage = findBleed(requireRow(session, row));
    if (stage == nullptr || stage->data.empty())
        session = withBleed(std::move(session), row, model);
    return withDrumGain(std::move(session), row, drum, db);
}

Session withBleedModel(Session session, const std::string& model) {
    for (Row& row : session.rows) {
        for (Stage& stage : row.chain) {
            if (stage.type == "bleed") stage.data = model;
        }
    }
    return session;
}

NewRow withDrumAlone(Session session, std::string_view rowId, std::string_view drum,
                     std::string_view bus, const std::vector<std::string>& drums,
                     const std::string& model) {
    const Row& mic = requireRow(session, rowId);
    if (mic.kind != RowKind::element || !playsRecordings(mic))
        throw Error("“" + mic.name + "” plays no recording that a drum could be taken out of.");
    const std::string id = drumIn(session, drum);
    if (id != kNoDrum && std::find(drums.begin(), drums.end(), id) == drums.end())
        throw Error(
            "“" + drumName(session, id) +
            "” was not struck in what the kit was taken apart by, so nothing of it could be "
            "played alone; choose another drum, or put its strokes in on the Hits page.");
    Row row;
    row.name = (id == kNoDrum ? "Rest" : drumName(session, id)) +
               (mic.drum == id ? " Alone" : " of " + mic.name);
    row.id = makeRowId(session, row.name);
    row.kind = RowKind::element;
    row.role = Role::sample;
    const bool known = std::any_of(session.drums.begin(), session.drums.end(),
                                   [&](const Drum& d) { return d.id == id; });
    if (known) row.drum = id;
    row.sources = mic.sources;
    row.chain = makeChain(RowKind::element);
    row.chain.front() = *findStage(mic, "align");
    row.parent = mainRow(session);
    const std::string made = row.id, of(micOf(mic));
    session.rows.push_back(std::move(row));
    seatRow(session, made);
    session = withBus(std::move(session), made, bus);
    for (const std::string& other : drums) {
        if (other != id)
            session = withDrumTurned(std::move(session), made, other, kBleedLowest, model);
    }
    if (id != kNoDrum)
        session = withDrumTurned(std::move(session), made, kNoDrum, kBleedLowest, model);
    findBleed(requireRow(session, made))->words.insert_or_assign(std::string(kOfMic), of);
    return {std::move(session), made};
}

const std::string& micOf(const Row& row) {
    const Stage* stage = findBleed(row);
    if (stage == nullptr) return row.id;
    const auto of = stage->words.find(kOfMic);
    return of != stage->words.end() ? of->second : row.id;
}

void alignParts(const Session& before, Session& after) {
    const auto alignOf = [](const Session& session, const std::string& id) {
        const Row* row = findRow(session, id);
        return row != nullptr ? findStage(*row, "align") : nullptr;
    };
    const auto alike = [](const Stage& a, const Stage& b) {
        return a.values == b.values && a.on == b.on && a.curves == b.curves;
    };
    for (Row& row : after.rows) {
        if (!isPart(row)) continue;
        const Stage *micWas = alignOf(before, micOf(row)), *was = alignOf(before, row.id),
                    *mic = alignOf(after, micOf(row));
        Stage* own = findStage(row, "align");
        if (micWas == nullptr || was == nullptr || mic == nullptr || own == nullptr) continue;
        if (alike(*was, *micWas) && alike(*own, *was) && !alike(*mic, *micWas)) *own = *mic;
    }
}

std::string bleedProblem(const Row& row) {
    for (std::size_t i = 0; i < row.chain.size(); ++i) {
        if (row.chain[i].type != "bleed") continue;
        if (!playsRecordings(row) || row.kind != RowKind::element)
            return "“" + row.name + "” plays no microphone of the kit, which a bleed step needs.";
        if (i != 1)
            return "The bleed step of “" + row.name + "” must stand directly behind align, once.";
    }
    return {};
}

}  // namespace ember
