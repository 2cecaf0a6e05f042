// Sounds nobody played: heads that hum and snare wires that buzz when other drums are struck.
#pragma once

#include "core/base/units.h"
#include "core/measure/kit/bleed.h"
#include "core/measure/sound/tone.h"
#include "core/measure/strokes/strokes.h"

#include <string>
#include <vector>

namespace ember {

struct Sympathy {
    std::string drum;    // whose head or wires answer
    std::string mic;     // where it is heard
    std::string struck;  // by whose strokes it is set off
    bool wires = false;  // snare wires (above 2 kHz); otherwise the head's own note
    double hertz = 0.0;  // the head's note, or the lower end of the wires' band
    // Level while only the other drum sounds, against the same band while this drum's own strokes
    // sound, dB, median over strokes.
    double relativeDb = kSilenceDb;
    double worstAt = 0.0;  // seconds: the stroke that set it off most
    int strokes = 0;       // read from
    bool operator==(const Sympathy&) const = default;
};

// Heads: toms and the snare in their own microphones, at their measured fundamental, 80 to 350 ms
// after strokes of others that leave this drum alone. Wires: the snare's microphones (the one below
// first), above 2 kHz, 15 to 150 ms after kick and tom strokes, less what hi-hat and cymbals alone
// put there. Only what four strokes or more set off, and what others cannot explain, is listed.
// Pure; any thread.
std::vector<Sympathy> measureSympathy(const KitMics& kit, const KitStrokes& strokes,
                                      const std::vector<DrumTone>& tone);

// The same sound in every microphone: a head or wires that answer are heard where they are heard
// when struck, so the drum's own level in a microphone (bleed.h) less the difference to its own
// strokes is what arrives there.
struct SympathyInMic {
    std::string mic;
    double peakDb = kSilenceDb;  // dBFS, of the loudest moment of a usual answer
};
std::vector<SympathyInMic> sympathyByMic(const Sympathy& sympathy,
                                         const std::vector<BleedLevel>& bleed);

}  // namespace ember
