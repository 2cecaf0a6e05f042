// What a drum sounds like, read from its own strokes in its own microphone: spectrum, fundamental,
// rings, rise, decay, crest.
#pragma once

#include "core/measure/sound/rings.h"
#include "core/measure/sound/spectrum.h"
#include "core/measure/strokes/strokes.h"

#include <string>
#include <vector>

namespace ember {

struct BleedModel;

// Seconds for 60 dB in an octave, from a fall of 20 dB (T20, ISO 3382-2:2008).
struct BandDecay {
    double hertz = 0.0;
    double t60 = 0.0;  // 0: not enough of it can be seen
    bool operator==(const BandDecay&) const = default;
};

struct DrumTone {
    std::string drum, mic;
    int strokes = 0;  // it was read from
    Spectrum median,
        spread;  // third octaves over strokes: level, and 10th to 90th percentile in dB
    double fundamental = 0.0;  // Hz after the glide has settled; 0: none that matters
    double fundamentalConfidence = 0.0;
    double glide = 0.0;         // first 30 ms against that, semitones
    double lowestHertz = 0.0;   // below it lies less than a thousandth of these strokes' energy
    double highestHertz = 0.0;  // above it lies less than a thousandth of it
    double bodyDb = 0.0, mudDb = 0.0, attackDb = 0.0, airDb = 0.0;  // share of the energy, dB
    double brightness = 0.0;       // spectral centroid of the accents, Hz
    double brightnessSlope = 0.0;  // centroid per dB of level, % (harder strokes are brighter)
    std::vector<Ring> rings;       // strongest first
    double riseMs = 0.0;           // 10 to 90 % of the attack's envelope
    double transientMs = 0.0;      // until half of the energy of the first 300 ms has passed
    double decayT60 = 0.0;         // in the octave of the fundamental, or over everything, seconds
    double bodySeconds = 0.0;      // until 95 % of a stroke's energy has sounded; 0: cannot be told
    std::vector<BandDecay> decays;
    double shortestGap = 0.0;                 // seconds between two of its strokes
    double crestDb = 0.0;                     // median over strokes: peak against the RMS of 300 ms
    double transientToBodyDb = 0.0;           // stroke_figures.h, median
    double levelSpreadDb = 0.0;               // standard deviation of the full strokes' levels
    std::vector<std::vector<float>> typical;  // strokes that stand for it (typical.h)
    bool operator==(const DrumTone&) const = default;
};

// The same drums in their other close microphones, as far as the spectrum and the course of the
// strokes go (the note and its decay are the first one's): what a second microphone hears better.
// Pure; any thread.
std::vector<DrumTone> measureTwins(const KitMics& kit, const KitStrokes& strokes,
                                   const std::vector<DrumTone>& first);

// One entry a drum that was struck. Note and rings are those of the drum alone where a model takes
// it out of its own microphone (null: none does); everything else is as the microphone hears it,
// for that is what a processor gets. Pure; any thread.
std::vector<DrumTone> measureTone(const KitMics& kit, const KitStrokes& strokes,
                                  const BleedModel* model, const Progress& progress = {});

}  // namespace ember
