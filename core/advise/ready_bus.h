// Buses beside the mix that are ready to be raised: a parallel that presses, a plate, a room, what
// overheads and a room microphone would hear of a kit that nobody recorded. They start at nothing:
// what is sent there is heard when their fader goes up.
#pragma once

#include "core/session/session.h"

#include <span>
#include <string>
#include <string_view>

namespace ember {

struct ReadyBus {
    std::string id;    // "press"
    std::string name;  // "Press"
    std::string doc;   // what it does and what is sent there
};
std::span<const ReadyBus> readyBuses();

// The session with one of them, with its own name where another is called so already; what usually
// goes there is sent there, all of it silent until the fader is raised. Throws Error for an unknown
// id.
Session withReadyBus(Session session, std::string_view id);

// The session with overheads and a room for a programmed kit, raised so far that they are heard
// under it; every drum feeds them as it usually does. Throws Error where no layers play a drum.
Session withKitSpace(Session session);

// Id of the newest bus that was made so and still has its name; empty where there is none.
std::string readyBusIn(const Session& session, std::string_view id);

}  // namespace ember
