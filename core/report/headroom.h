// How much room the levels leave, from the kick alone to everything, and one trim that makes it
// right.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <functional>
#include <string>
#include <vector>

namespace ember {

struct HeadroomPlan {
    std::string kick;                        // the loudest kick's row
    double kickDb = -150.0, targetDb = 0.0;  // what it reads of its target (targetReading())
    double kicksDb = -150.0;                 // all kicks together, their loudest strokes
    double pairDb = -150.0;  // all kicks with the basses, their loudest strokes; -150: no bass
    std::string bus;         // in which the drums come together; may be empty
    double drumsDb = -150.0, mainDb = -150.0;  // peaks of that, and of everything that is heard
    // By how much every row would have to move for the kick to read its target; and everything's
    // peak when that was tried.
    double trimDb = 0.0, trimmedMainDb = -150.0;
};
// A kick this near to its target is left where it is, and everything should peak no higher.
inline constexpr double kTrimFromDb = 1.0, kMainRoomDb = -6.0;

// Over [from, to) seconds of song time, `to` < 0: a minute at most. Any thread; throws Error
// without a kick or its strokes, and Cancelled.
HeadroomPlan headroomPlan(const Session& session, AudioStore& store, double from, double to,
                          const Progress& progress = {});
// A sentence each. Pure.
std::vector<std::string> headroomText(const Session& session, const HeadroomPlan& plan);
// Every element and guest moved by a level at its fader, and what is sent before it, so that their
// balance stays; a level that follows a curve stays too. Throws Error where a level would leave its
// range. `which`: these alone.
Session withTrim(Session session, double db, const std::function<bool(const Row&)>& which = {});

}  // namespace ember
