// Resonator: a few tuned strings that what comes in sets ringing, to lend a drum or a loop a
// tone.
//
// Each partial is one turning pole, z[n] = p z[n-1] + g x[n] with p = r exp(i w) (Mathews &
// Smith, "Methods for synthesizing very high Q parametrically well behaved two pole filters",
// SMAC 2003), whose real part is heard: it stays well behaved while it is tuned. g = sqrt(1 -
// r^2), so that noise rings as loud however long it rings. Other strings come in through a gap of
// what is added. No latency.
#pragma once

#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

#include <array>
#include <complex>

namespace ember {

class Resonator : public ValueProcessor<Resonator> {
  public:
    enum Index { note, chord, decay, damp, spread, level, mix };
    static constexpr int kPartials = 6;

    Resonator(const ProcessSpec& spec, std::span<const double> values);
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;

  private:
    void aimPoles(bool atOnce);

    static constexpr int kControl = 16;
    using Complex = std::complex<double>;
    ProcessSpec spec_;
    std::vector<double> values_;
    Smoother note_, decay_, damp_, level_, mix_, spread_, there_;
    int chord_ = 0;
    std::array<double, kPartials> ratio_{};  // of the note
    std::array<Complex, kPartials> pole_{}, poleStep_{};
    std::array<double, kPartials> in_{}, inStep_{};  // gain of what comes in
    std::array<std::array<Complex, kPartials>, 2> state_{};
    int count_ = 0;
};

// Of the partials: how high each is against the note, and how long it rings, ms; for pictures.
std::array<double, Resonator::kPartials> resonatorRatios(std::span<const double> values);
double resonatorDecayMs(std::span<const double> values, int partial);

ProcessorType resonatorType();

}  // namespace ember
