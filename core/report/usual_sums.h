// What sums usually are like in a style, where there is no record to hold them against. Ranges of
// common practice, no measurement: they say what is ordinary, and decide nothing.
#pragma once

#include "core/session/session.h"

#include <string>
#include <string_view>

namespace ember {

struct UsualSpan {
    double low = 0.0, high = 0.0;
    [[nodiscard]] bool holds(double value) const { return value >= low && value <= high; }
    bool operator==(const UsualSpan&) const = default;
};

// What a sum is made of: all that leads to it.
enum class SumKind { kick, snare, toms, cymbals, rooms, drums, everything };
// Drums where it is of several kinds, everything where guests are in it. Pure.
SumKind sumKind(const Session& session, std::string_view bus);
std::string_view sumKindLabel(SumKind kind);  // "the kick", "the whole kit"

// How far its loudness moves, LU (EBU Tech 3342).
UsualSpan usualRange(SumKind kind, Style style);
// How loud a kit's highs stand against its lows, dB (report/bus_whole.h).
UsualSpan usualHighs(Style style);
// In how much of the time a kit leaves the bottom, the bass and the middle of the picture to
// others, 0..1 at least.
struct UsualRoom {
    double bottom = 0.0, bass = 0.0, middle = 0.0;
};
UsualRoom usualRoom(Style style);

// "usually 3 to 9", "usually 3 to 9 in rock".
std::string usualText(const UsualSpan& span, Style style, int digits = 0);

}  // namespace ember
