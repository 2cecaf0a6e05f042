// Accent, normal, ghost or flam: by rule, from levels and times alone.
#pragma once

#include "core/session/stroke.h"

#include <vector>

namespace ember {

// Kinds by rule, for the strokes of one drum in order of time, from `levelDb` and time alone:
//  - flam: a stronger stroke of the same drum follows within 45 ms (the grace note);
//  - ghost: 12 dB or more under the accents;
//  - accent and normal: where the others fall into two groups at least 2 dB apart, the louder and
//    the softer one; otherwise everything within 3 dB of the accents is an accent.
// The accents' level is the 80th percentile of the strokes within 12 dB of the loudest tenth.
void sortIntoKinds(std::vector<Stroke*>& strokesOfOneDrum);

// The kind of a stroke of which nothing is known but its level against the accents: a stroke that
// is only being played. Real-time safe.
StrokeKind kindByLevel(double levelDb);

// The level, in dB, that counts as this drum's accents.
double accentLevel(std::vector<double> levelsDb);

// 0.9 for the accents' level; half the velocity is about 9 dB less (the radiated level of a struck
// head goes with velocity to the power of about 1.45).
double velocityFromLevel(double levelDb);
double levelFromVelocity(double velocity);

}  // namespace ember
