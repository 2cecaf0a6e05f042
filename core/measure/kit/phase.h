// Delay, polarity and coherence between the microphones of a kit, drum by drum, and what the sum
// loses by them.
#pragma once

#include "core/measure/strokes/strokes.h"

#include <string>
#include <vector>

namespace ember {

// Level of the sum of two microphones in an octave, against in-phase addition (0 dB is ideal).
struct BandSum {
    double hertz = 0.0;      // centre
    double nowDb = 0.0;      // as recorded
    double alignedDb = 0.0;  // with the delay and polarity below taken out
    bool operator==(const BandSum&) const = default;
};

struct PhasePair {
    std::string drum;           // whose strokes it was read from
    std::string mic;            // element
    std::string reference;      // the drum's first own microphone (or what hears it best)
    double delaySamples = 0.0;  // positive: `mic` is later; at the session's rate
    bool delaySure = false;     // no other delay is nearly as likely
    int polarity = 0;           // +1, -1; 0: not sure
    double coherence = 0.0;     // magnitude squared, in the drum's main octave, 0..1
    double mainHertz = 0.0;     // centre of that octave
    int strokes = 0;            // how many it was read from
    double levelDb = 0.0;       // of the drum in `mic`, against `mic`'s loudest drum
    std::vector<BandSum> bands;
    bool operator==(const PhasePair&) const = default;
};

// Every drum that was struck against every microphone that hears it. Delay by generalised
// cross-correlation with a coherence weight (Knapp & Carter, IEEE Trans. ASSP 24(4), 1976) of the
// reference's attacks, averaged over strokes; in a stereo microphone the channel that is reached
// first counts. Sure where the phases agree well from three strokes on and no other delay comes
// near, and where the drum is not heard before its own microphone hears it. Two microphones at one
// drum hear other sides of it: there the first samples are compared, and a third of the strokes has
// to tell the same. Polarity from the sign of the cross-spectrum in the drum's main octave once the
// delay is out; only said where that is sure, from five strokes on, where the coherence exceeds
// 0.5, the phase stays clear of a quarter turn, and the direct sound has the same sign. Pure;
// spreads over cores.
std::vector<PhasePair> measurePhase(const KitMics& kit, const KitStrokes& strokes,
                                    const Progress& progress = {});

}  // namespace ember
