// Curves that move together: one movement, followed by several parameters at depths of their own;
// and the shapes that slow modulators draw.
//
// There is no movement beside its curves: those that bear its name hold the same points on the way
// from their lowest to their highest value (evenly on each parameter's own scale). Editing one of
// them edits all. Pure; any thread.
#pragma once

#include "core/session/curves.h"

#include <string>
#include <vector>

namespace ember {

// Names of the movements of a session, as they are met.
std::vector<std::string> movements(const Session& session);
// What follows a movement.
std::vector<CurvePlace> followers(const Session& session, std::string_view movement);

// The session in which a parameter follows a movement between two values, which may be either way
// round. Where others follow it already, it takes their points; else its own curve becomes the
// movement, which it has to have. One that follows it keeps its points at another depth. Throws
// Error for what cannot be.
Session withMovement(Session session, const CurvePlace& place, std::string movement, double lowest,
                     double highest);
// The session in which it keeps its curve by itself. Throws Error where it follows no movement.
Session withoutMovement(Session session, const CurvePlace& place);
// The session whose other followers of the movement of `place` hold the points of its curve; for
// what edits curves.
Session withFollowers(Session session, const CurvePlace& place);
// ", with “Breath” from −12.0 dB to 0.0 dB"; empty for a curve by itself.
std::string togetherText(const Curve& curve, const Parameter& parameter);

// What a slow modulator does over a cycle, from its bottom on.
enum class WaveForm { sine, triangle, rise, fall, square };
struct Wave {
    WaveForm form = WaveForm::sine;
    int bars = 1;                        // begins anew every so many bars, 1 to kMostCurveBars
    int cycles = 1;                      // in that time, 1 to kMostCycles
    double lowest = 0.0, highest = 0.0;  // values
};
inline constexpr int kMostCycles = 64;
std::string_view toString(WaveForm form);
// Throws Error for an unknown name.
WaveForm waveFormFrom(std::string_view text);
// Its points, by the metre at bar 1. Throws Error for what is out of range.
Curve waveCurve(const Session& session, const CurvePlace& place, const Wave& wave);

}  // namespace ember
