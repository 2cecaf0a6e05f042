#include "core/advise/bleed_start.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/bleed.h"
#include "core/measure/kit/kit_mics.h"
#include "core/session/bleed.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ember {
namespace {

constexpr double kDown = -24.0, kRoomDown = -18.0, kKickDown = -18.0;  // dB

// What a starting point turns a drum to in a row.
double startGain(std::string_view id, const Session& session, const Row& row,
                 const std::string& drum) {
    const std::string own = drumOfRow(session, row.id);
    const bool close = !own.empty();
    if (id == "close") return close && drum != own ? kDown : 0.0;
    if (id == "snare-rooms")
        return row.role == Role::room && drumFamily(drum) != DrumFamily::snare ? kRoomDown : 0.0;
    if (id == "kick-own")
        return drumFamily(drum) == DrumFamily::kick && drum != own ? kKickDown : 0.0;
    return 0.0;
}

}  // namespace

std::span<const BleedStart> bleedStarts() {
    static const std::array<BleedStart, 4> starts{
        {{"close", "Clean close mics",
          "Turns everything but its own drum down by 24 dB in every close microphone. Equalisers "
          "and compressors then lift the drum alone; the cymbals come from the overheads."},
         {"snare-rooms", "Snare in rooms",
          "Turns everything but the snare down by 18 dB in the rooms: they may be pressed hard "
          "without the cymbals filling them."},
         {"kick-own", "Kick in its own",
          "Turns the kick down by 18 dB in everything but its own microphones: it stands in the "
          "middle, and its low end is decided in one place."},
         {"none", "As it was", "Every drum as the microphones heard it."}}};
    return starts;
}

Session withBleedStart(Session session, std::string_view id, const std::vector<std::string>& drums,
                       const std::string& model) {
    const auto starts = bleedStarts();
    if (std::none_of(starts.begin(), starts.end(), [&](const auto& s) { return s.id == id; }))
        throw Error("There is no starting point “" + std::string(id) + "” for bleed.");
    std::vector<std::string> rows;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::element && playsRecordings(row) && isMicrophone(row.role) &&
            !isUnsure(row))
            rows.push_back(row.id);
    }
    for (const std::string& row : rows) {
        for (const std::string& drum : drums) {
            const Row& now = requireRow(session, row);
            const double db = startGain(id, session, now, drum);
            if (drumGain(now, drum) != db)
                session = withDrumTurned(std::move(session), row, drum, db, model);
        }
    }
    return session;
}

namespace {

Session soloed(Session session, const std::string& row) {
    for (Row& r : session.rows) {
        r.solo = r.id == row;
        if (r.id == row) r.mute = false;
    }
    return session;
}

}  // namespace

Session microphoneAlone(Session session, const std::string& row) {
    session = soloed(std::move(session), row);
    if (Stage* bleed = findBleed(requireRow(session, row))) bleed->on = false;
    return session;
}

Session heardApart(Session session, const std::string& row, const std::string& drum,
                   BleedHearing what, const std::vector<std::string>& drums,
                   const std::string& model) {
    session = soloed(std::move(session), row);
    if (what == BleedHearing::kept) return session;
    const Stage* own = findBleed(requireRow(session, row));
    if (own == nullptr || own->data.empty()) session = withBleed(std::move(session), row, model);
    std::vector<std::string> parts = drums;
    parts.emplace_back(kNoDrum);
    Row& at = requireRow(session, row);
    findBleed(at)->values = standardValues(processorType("bleed").table);
    for (const std::string& part : parts) {
        const double now = drumGain(at, part);
        const double kept = now <= kBleedLowest ? 0.0 : std::min(1.0, gainFromDb(now));
        const double db = what == BleedHearing::one ? (part == drum ? 0.0 : kBleedLowest)
                          : kept >= 1.0             ? kBleedLowest
                                        : std::max(kBleedLowest, dbFromGain(1.0 - kept));
        session = withDrumGain(std::move(session), row, part, db);
    }
    return session;
}

}  // namespace ember
