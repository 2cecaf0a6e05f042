// A row or a bus in several streams, each a bus with a chain of its own, that add up to what it
// gives as long as they do nothing. A stream is a bus that begins with a Part. Pure; any thread.
#pragma once

#include "core/session/session.h"

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

struct SplitKind {
    std::string id;     // "sides"
    std::string label;  // "Left and right"
};
// sides, middle, two bands, three bands, two halves.
std::span<const SplitKind> splitKinds();

// The buses a row is split into, in order; empty where it is not.
std::vector<std::string> splitOf(const Session& session, std::string_view row);
// Whether a row is one stream of a split.
bool isStream(const Row& row);
// The row itself, or what it goes into where it is a stream.
std::string beyondStreams(const Session& session, std::string row);

// The row feeds streams in place of its bus, and they feed that; they are called like it ("Snare
// Top Lows"). What it is sent to beside stays. Throws Error for unknown kinds, for the main and for
// references, and where it is split already.
Session withSplit(Session session, std::string_view row, std::string_view kind);
// The streams go with all that was done in them, and the row feeds what they fed. Throws Error
// where it is not split.
Session withSplitJoined(Session session, std::string_view row);
// The corner between two bands, in every stream of a row: "lower" or "upper". Throws Error where it
// has no such streams, or outside its range.
Session withSplitCorner(Session session, std::string_view row, std::string_view corner,
                        double hertz);
// withValue(), but a corner of a stream moves in all the streams beside it, so that they go on
// adding up.
Session withStreamValue(Session session, std::string_view row, std::string_view stage,
                        std::string_view parameter, double value);

}  // namespace ember
