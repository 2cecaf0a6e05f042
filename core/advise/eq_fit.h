// Bands of the equaliser found from measurements: a cut for a place heard in a sweep, a curve
// that brings one spectrum near another, and what a curve does to a drum and to its bleed.
#pragma once

#include "core/dsp/equaliser.h"
#include "core/measure/sound/spectrum.h"
#include "core/measure/sound/tone.h"

#include <span>
#include <vector>

namespace ember {

struct BandFit {
    double frequency = 0.0;  // Hz
    double gainDb = 0.0;
    double q = 1.0;
};

// A cut at a place: as wide as what rings there, as deep as it stands out. Within 4 % of a measured
// ring its own frequency, width (2.2 / T60, the -3 dB bandwidth of an exponential decay) and
// prominence less 3 dB count; elsewhere how far `spectrum` stands over its surroundings a third to
// a whole octave away, 3 to 9 dB, at Q 4. Pure.
BandFit cutAt(const Spectrum& spectrum, std::span<const Ring> rings, double hertz);

// At most `most` bells that bring `own` near `wanted`: levels apart, smoothed over an octave,
// limited to 6 dB, the largest difference first and none under 1 dB. Between 40 Hz and 16 kHz.
// Both spectra on the same frequencies, else none. Pure.
std::vector<BandFit> matchBands(const Spectrum& own, const Spectrum& wanted, std::size_t most = 5);

// What a curve (dB by the spectrum's frequencies) gives to the energy of a spectrum between two
// frequencies, dB.
double curveGainDb(const Spectrum& spectrum, std::span<const double> curveDb, double fromHertz,
                   double toHertz = 20000.0);

}  // namespace ember
