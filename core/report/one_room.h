// Whether the drums stand in one room: how much of the spaces beside the mix each of them has, and
// what would bring together those that stand apart.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

// A drum by its own rows at their faders, and what the buses it is sent to give back of it.
struct DrumRoom {
    std::string drum;   // id
    std::string row;    // its loudest
    std::string space;  // the bus that gives back most of it; empty: none does
    // What comes back of its strokes against themselves, dB; kNoSpaceDb at least.
    double wetDb = 0.0;
    // Energy of both within 80 ms of its strokes against what comes later, dB: the clarity index of
    // ISO 3382-1. It tells the drum's own decay too, so drums differ by nature.
    double clarityDb = 0.0;
    bool apart = false;  // more than kOneRoomDb from the drums' usual amount
};
inline constexpr double kNoSpaceDb = -40.0, kOneRoomDb = 6.0;

struct SendMove {
    std::string row, to;
    double levelDb = 0.0;
    bool before = false;  // of a send that is new
};
struct RoomRemedy {
    enum class Kind { share, dry };
    Kind kind = Kind::share;
    std::vector<SendMove> moves;
    double spreadDb = 0.0;  // what OneRoom::spreadDb came to when it was tried
};

struct OneRoom {
    std::vector<DrumRoom> drums;  // those that are struck, in the session's order
    double usualDb = 0.0;         // the drums' median
    double spreadDb = 0.0;        // wettest against driest
    std::vector<RoomRemedy> remedies;
};

// A bus that others are sent to with a reverb or a delay in it. Pure.
bool isSpace(const Session& session, const Row& row);

// Over [from, to) seconds of song time, `to` < 0: a minute at most. Every drum is heard alone,
// buses and main left out. Any thread; throws Error where no drum has strokes and a row of its own,
// and Cancelled.
OneRoom oneRoom(const Session& session, AudioStore& store, double from, double to,
                const Progress& progress = {});
// A sentence each. Pure.
std::vector<std::string> oneRoomText(const Session& session, const OneRoom& found);
std::string roomRemedyText(const Session& session, const RoomRemedy& remedy);
// The session with the sends of a remedy. Throws Error where a row is gone.
Session withRemedy(Session session, const RoomRemedy& remedy);

}  // namespace ember
