// Crusher: fewer bits, fewer samples. Its aliases are the point and are left in.
// No latency.
#pragma once

#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

namespace ember {

class Crusher : public ValueProcessor<Crusher> {
  public:
    enum Index { bits, rate, mix };
    static constexpr double kAllBits = 24.0, kFullRate = 48000.0;  // off

    Crusher(const ProcessSpec& spec, std::span<const double> values);
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    [[nodiscard]] bool replaysExactly() const override { return false; }

  private:
    ProcessSpec spec_;
    std::vector<double> values_;
    Smoother bits_, rate_, mix_;
    double phase_ = 1.0;
    float held_[2] = {0.0F, 0.0F};
};

ProcessorType crusherType();

}  // namespace ember
