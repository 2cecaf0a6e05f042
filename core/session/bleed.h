// What each drum is turned to in a row: edits of its bleed stage. What plays it was measured
// (measure/separate) and goes by the hash of what was measured.
#pragma once

#include "core/session/session.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

// Of a drum in a row, dB: kBleedLowest is silence, 0 as it was recorded.
inline constexpr double kBleedLowest = -60.0, kBleedHighest = 12.0;
// What belongs to no drum goes by this name.
inline constexpr std::string_view kNoDrum = "rest";

// A row's bleed stage, or null.
const Stage* findBleed(const Row& row);
Stage* findBleed(Row& row);
// "−24 dB", "silent"; and back: numbers in dB, or "silent". The second throws Error.
std::string bleedText(double db);
double parseDrumGain(const std::string& text);
// What a drum is turned to, dB; 0 where the row has no bleed stage.
double drumGain(const Row& row, std::string_view drum);

// What the session's bleed stages play by; empty where there is none yet.
std::string bleedModelOf(const Session& session);

// The session with a bleed stage in a row, behind its align; the row's own where it has one. All
// bleed stages of a session play by one model; `model` is its hash. Throws Error for rows that play
// no recording.
Session withBleed(Session session, std::string_view row, const std::string& model);
// The session with a drum turned to `db` in a row that has a bleed stage, which counts as decided
// and is switched on. Throws Error for unknown drums and outside the range.
Session withDrumGain(Session session, std::string_view row, std::string_view drum, double db);
// The same for a row that may have no bleed stage yet, or one that plays by nothing: then it gets
// one, by this model.
Session withDrumTurned(Session session, std::string_view row, std::string_view drum, double db,
                       const std::string& model);
// Every bleed stage plays by this model from now on.
Session withBleedModel(Session session, const std::string& model);

// A row of its own that plays one drum of a row's recording alone, as placed in time as that row
// is, and feeds `bus`: what a reverb, or a detector, is to hear. It is no microphone more: nothing
// is listened for in it. `drums`: all that the model knows. Throws Error for rows without a
// recording, drums that are unknown or that the model does not know, and what is no bus.
NewRow withDrumAlone(Session session, std::string_view row, std::string_view drum,
                     std::string_view bus, const std::vector<std::string>& drums,
                     const std::string& model);
// The microphone whose recording a row plays: its own id, but for a row made by withDrumAlone().
const std::string& micOf(const Row& row);
// Whether it is such a row.
inline bool isPart(const Row& row) {
    return micOf(row) != row.id;
}

// An edit that moves a microphone's alignment moves that of its parts with it, as long as they
// stood alike before: they play one recording, and apart they would thin each other out.
void alignParts(const Session& before, Session& after);

// One sentence about a row's bleed stage that cannot work; empty when sound.
std::string bleedProblem(const Row& row);

}  // namespace ember
