// Clipper: what rises above the ceiling is cut off, at a corner or round a bend.
//
// Runs at eight times the rate; what the curve takes away is moreover antialiased by its
// antiderivative (Parker, Zavalishin & Le Bivic, "Reducing the aliasing of nonlinear waveshaping
// using continuous-time convolution", DAFx 2016, first order). Only what is taken away goes through
// that, so below the bend the signal comes out as it went in.
// Latency: that of the oversampling.
#pragma once

#include "core/dsp/delay_line.h"
#include "core/dsp/oversampler.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"
#include "core/dsp/trim.h"

namespace ember {

// What clipping takes from x (0 below the bend), for a ceiling > 0 and a bend 0 (corner) .. 1 (from
// zero on); and its antiderivative.
double clipLoss(double x, double ceiling, double bend);
double clipLossIntegral(double x, double ceiling, double bend);

class Clipper : public ValueProcessor<Clipper> {
  public:
    enum Index { ceiling, bend, drive, mix, output };

    Clipper(const ProcessSpec& spec, std::span<const double> values);
    [[nodiscard]] int latency() const override { return oversampler_.latency(); }
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    [[nodiscard]] bool replaysExactly() const override { return false; }

  private:
    std::vector<double> values_;
    Oversampler oversampler_;
    DelayLine dryDelay_;
    double last_[2] = {0.0, 0.0};
    Smoother ceiling_, bend_, drive_, mix_;
    Trim trim_;
};

ProcessorType clipperType();

}  // namespace ember
