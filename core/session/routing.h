// Edits of where sound goes: the bus a row feeds, buses that come and go, sends.
#pragma once

#include "core/session/session.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

// The row feeds another bus or the main; a send to it is no longer needed and goes. Throws Error
// where that cannot be, sound that comes round to itself too.
Session withBus(Session session, std::string_view row, std::string_view bus);
// Puts a row where it belongs on the Board: among the members of its bus, or before what it feeds.
void seatRow(Session& session, std::string_view row);

// A new bus that feeds the main, with the usual chain and nothing in it yet, before the main; its
// id is makeRowId() of its name. Throws Error for a name that is empty.
Session withBusAdded(Session session, const std::string& name);
// What fed the bus feeds what the bus fed; what was sent to it no longer is, and what listened to
// it listens to itself. Throws Error for rows that are no bus, and for the main.
Session withBusRemoved(Session session, std::string_view bus);

// These rows alone, as withOnlyRows leaves them, and with them, unheard, what their stages listen
// to.
Session withRowsAndKeys(const Session& session, std::vector<std::string> rows);

// The send of a row to a bus; null when there is none.
const Send* findSend(const Row& row, std::string_view to);
// The session with a send of a row, in place of the one to the same bus. Throws Error for unknown
// rows, values out of range, and where the sound would come round to itself.
Session withSend(Session session, std::string_view row, const Send& send);
// Throws Error where there is none.
Session withSendRemoved(Session session, std::string_view row, std::string_view to);

// The mix with the seat of every element that is heard in stereo, and of every row of layers, at
// one width (%, 0 to 200); their pans stay. Throws Error outside that range.
Session withWidth(Session session, double percent);

// The mix without its effects: nothing is sent anywhere beside a row's own bus, and the delays and
// reverbs of its chains are off. The same rows and steps in the same places.
Session withoutEffects(Session session);
// Whether any are on.
bool hasEffects(const Session& session);

}  // namespace ember
