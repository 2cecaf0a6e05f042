// A new recording begun as an earlier one stood: its groups, chains, routing and targets.
#pragma once

#include "core/advise/intake.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

// What of a session is about its way of working and not about its song: without strokes, pattern,
// spots, snapshots, loop, prints, movements, what its kit was taken apart by and reasons. Pure.
Session withoutItsSong(Session session);

struct LikeEarlier {
    Session session;
    std::vector<std::string> remarks;  // what was different, in sentences
};

// These recordings in the place of those of `earlier`. Each takes the row of its role, first one of
// its name too; a microphone more has the steps of its sibling and stands with its group, one less
// takes its row with it, and a bus that nothing feeds any more goes. Buses, sends, steps and their
// keys, layers under drums that are there, level targets, style, ways of working and note maps stay
// as they were and count as decided by nobody. What belongs to the earlier song is left out:
// alignment, what its kit was taken apart by, movements, prints, strokes, pattern, spots, snapshots
// and the reasons of its bands. The tempo is the intake's. Pure; throws Error when nothing is there
// to begin with.
LikeEarlier sessionLike(const Session& earlier, const Intake& intake);

}  // namespace ember
