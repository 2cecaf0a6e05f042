// Rows that play what another row was printed to: a parallel made into audio, shifted perhaps, and
// laid beside the mix in the parallel's place. Pure; any thread.
#pragma once

#include "core/session/session.h"

#include <string_view>
#include <vector>

namespace ember {

// Whether a row is made of another one's sound, and no microphone: it plays one drum of a recording
// (session/bleed.h), or what was printed. Nothing is listened for in it.
bool isMade(const Row& row);

// A new row that plays `audio` (a channel each) at the fader and the place of the row it was
// printed of, and feeds what that feeds; that row is muted. Throws Error for main, references and
// unknown rows.
NewRow withPrintedRow(Session session, std::vector<Source> audio, PrintedOf printed);
// The same row with what it was printed of printed again. Throws Error for rows that were not
// printed.
Session withPrintedAnew(Session session, std::string_view row, std::vector<Source> audio,
                        PrintedOf printed);
// Whether a printed row plays what the row it was printed of is now; false too where that is gone.
bool printedIsNew(const Session& session, const Row& row);

}  // namespace ember
