// What the drums of a programmed kit feed into its overheads and rooms: the sends of their rows, by
// drum.
#pragma once

#include "core/session/session.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

struct KitFeeds {
    std::vector<std::string> drums;  // of rows that play layers, as on the Board
    std::vector<std::string> buses;  // that any of these rows is sent to, as on the Board
};
// Pure.
KitFeeds kitFeeds(const Session& session);

// The loudest send of a drum's rows to a bus, dB; kSendLowest where there is none that is on.
double feedDb(const Session& session, std::string_view drum, std::string_view bus);
// Numbers in dB, or "silent". Throws Error.
double parseFeed(const std::string& text);
// The session with all rows of the drum that play layers sent there at `db`; at kSendLowest they no
// longer are. Where a send is taken, and its pan, stay. Throws Error for drums that no layers play,
// what is no bus, and values out of range.
Session withFeed(Session session, std::string_view drum, std::string_view bus, double db);

}  // namespace ember
