// Digital second-order sections whose magnitude follows the analogue prototype
// up to the top octave, without the cramping of the bilinear transform.
//
// Method: |H|^2 of a biquad is a ratio of two quadratics in u = sin^2(w/2)
// (Vicanek, "Matched Second Order Digital Filters", 2016, eqs. 24-33). Both
// quadratics are fitted to the analogue |H|^2 by linearised least squares on the
// relative error (Sanathanan & Koerner, IEEE Trans. Autom. Control 8(1), 1963),
// starting from poles mapped by z = exp(sT), and then factored into the
// minimum-phase section. Zeros at DC and on the unit circle (high-pass, notch)
// are kept exactly.
#pragma once

#include <array>
#include <complex>

namespace ember {

// One section y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2].
struct Biquad {
    double b0 = 1.0, b1 = 0.0, b2 = 0.0, a1 = 0.0, a2 = 0.0;
    bool operator==(const Biquad&) const = default;
};

// Analogue section (n2 s^2 + n1 s + n0) / (d2 s^2 + d1 s + d0), s = j f / frequency.
struct AnalogueSection {
    double n2 = 0.0, n1 = 0.0, n0 = 1.0;
    double d2 = 0.0, d1 = 0.0, d0 = 1.0;
    double frequency = 1000.0;  // Hz
};

// Band shapes of the equaliser. Slopes of the pass filters come in steps of 6 dB per octave.
// Weight is a low shelf with a dip behind it, as passive networks have that boost and cut at once:
// more low end while the low mids give way.
enum class EqShape { bell, lowShelf, highShelf, highPass, lowPass, notch, tilt, weight };

// The sections of one band, in processing order; no allocation.
struct AnalogueSections {
    std::array<AnalogueSection, 4> section;
    int count = 0;
    void add(const AnalogueSection& one) { section[static_cast<std::size_t>(count++)] = one; }
    [[nodiscard]] const AnalogueSection* begin() const { return section.data(); }
    [[nodiscard]] const AnalogueSection* end() const { return section.data() + count; }
};

// frequency in Hz, gain in dB (bell, shelves, tilt), q > 0, order 1..8 (pass filters).
AnalogueSections analogueSections(EqShape shape, double frequency, double gainDb, double q,
                                  int order);

// Complex gain of the prototype at `frequency` Hz.
std::complex<double> response(const AnalogueSection& section, double frequency);

// Complex gain of the digital section at `frequency` Hz.
std::complex<double> response(const Biquad& section, double frequency, double sampleRate);

// Stable, minimum-phase digital section for the prototype. Allocation-free and
// bounded (about 5 microseconds), so the audio thread may call it.
Biquad design(const AnalogueSection& section, double sampleRate);

}  // namespace ember
