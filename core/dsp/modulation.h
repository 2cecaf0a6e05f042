// Modulation: chorus, flanger and phaser, moved slowly, the two sides one after the other.
//
// Chorus and flanger read a short delay that a sine moves, between samples by a cubic through four
// of them (Lagrange; Laakso et al., IEEE Signal Processing Magazine 13(1), 1996), and may feed it
// back. The phaser is a row of six one-pole all-passes (Smith, "An all-pass approach to digital
// phasing and flanging", ICMC 1984) whose corner moves as the sine does, in octaves. Lows below a
// corner go past it untouched. Another kind comes in through a gap of what is added. No latency.
#pragma once

#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

#include <array>
#include <vector>

namespace ember {

class Modulation : public ValueProcessor<Modulation> {
  public:
    enum Index { kind, period, depth, time, centre, feedback, spread, lowCut, mix };
    enum Kind { chorus, flanger, phaser };

    Modulation(const ProcessSpec& spec, std::span<const double> values);
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;

  private:
    static constexpr int kStages = 6;
    struct Side {
        std::vector<float> ring;
        std::array<double, kStages> passes{};  // states of the all-passes
        double low = 0.0, back = 0.0;
    };
    [[nodiscard]] double delayed(Side& side, double in, double lfo, double depthNow);
    [[nodiscard]] double phased(Side& side, double in, double lfo, double depthNow);

    ProcessSpec spec_;
    std::vector<double> values_;
    std::array<Side, 2> sides_;
    Smoother depth_, time_, centre_, feedback_, spread_, low_, mix_, there_;
    double phase_ = 0.0;                  // of the left side, turns
    double speed_ = 0.0, speedTo_ = 0.0;  // turns a frame
    double timeNow_ = 0.0, centreNow_ = 0.0, backNow_ = 0.0;
    int kind_ = chorus;
    int at_ = 0;
};

// Where the sweep of a side (0 left, 1 right) is at a share of the period: ms of delay, or Hz of
// the phaser's corner; for pictures.
double modulationAt(std::span<const double> values, int side, double share);

ProcessorType modulationType();

}  // namespace ember
