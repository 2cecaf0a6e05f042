// What a row's sound is made of, and whether a print of it is still what it sounds like. Pure; any
// thread.
#pragma once

#include "core/session/session.h"

#include <functional>
#include <string>
#include <string_view>

namespace ember {

// What makes a row's sound, as text: what it plays, its chain, and where it goes. What a file holds
// is told by `content`.
std::string soundText(const Row& row, const std::function<std::string(const Source&)>& content);
// Everything that the sound of a row behind its chain depends on, hashed: its own sound and chain
// without its seat, all that is heard in it, and, where something goes by them, strokes, notes and
// the song's time. Mutes count as they are; solos do not.
std::string recipeOf(const Session& session, std::string_view row);

// Whether a row's print is of what it sounds like now.
bool printFits(const Session& session, const Row& row);
// Whether it plays its print: where it fits, and no member of it is soloed.
bool playsPrint(const Session& session, const Row& row);

// The session with a row frozen, or live again. The first throws Error for main, references, and
// where the print has not the row's channels.
Session withPrint(Session session, std::string_view row, Print print);
Session withoutPrint(Session session, std::string_view row);
// Every row live, and none with a print.
Session withoutPrints(Session session);

}  // namespace ember
