#include "core/dsp/crusher.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

const std::vector<Parameter>& crusherTable() {
    static const std::vector<Parameter> table{
        {"bits",
         "Bits",
         Unit::none,
         2.0,
         Crusher::kAllBits,
         12.0,
         Scale::linear,
         "Steps the wave is rounded to, in bits; fractions too. 24 leaves it alone.",
         {}},
        {"rate",
         "Sample rate",
         Unit::hertz,
         500.0,
         Crusher::kFullRate,
         Crusher::kFullRate,
         Scale::logarithmic,
         "How often the wave is read. The top of the range leaves it alone.",
         {}},
        {"mix",
         "Mix",
         Unit::percent,
         0.0,
         100.0,
         100.0,
         Scale::linear,
         "Share of the crushed signal.",
         {}},
    };
    return table;
}

}  // namespace

ProcessorType crusherType() {
    return {
        "crusher",
        "Crusher",
        Column::colour,
        false,
        "Grain and grit for texture: coarse steps in level and in time.",
        "Rounding and sample-and-hold; its aliases are meant.",
        crusherTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Crusher>(spec, values);
        }};
}

Crusher::Crusher(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    for (Smoother* s : {&bits_, &rate_, &mix_}) s->prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Crusher::reset();
}

void Crusher::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    if (index == bits) bits_.aim(value);
    if (index == rate) rate_.aim(value);
    if (index == mix) mix_.aim(value / 100.0);
}

void Crusher::reset() {
    for (Smoother* s : {&bits_, &rate_, &mix_}) s->jump(s->target());
    phase_ = 1.0;
    held_[0] = held_[1] = 0.0F;
}

void Crusher::process(const AudioBlock& io, const AudioBlock&) {
    float loudest = 0.0F;
    for (int i = 0; i < io.frames; ++i) {
        const double b = bits_.next(), r = rate_.next(), wet = mix_.next();
        // Steps of a signal between -1 and 1; rounding, so that silence stays silent.
        const double steps = std::exp2(b - 1.0);
        phase_ += r / spec_.sampleRate;
        const bool reads = phase_ >= 1.0 || r >= Crusher::kFullRate;
        if (phase_ >= 1.0) phase_ -= std::floor(phase_);
        for (int c = 0; c < io.channels; ++c) {
            const float x = io.channel[c][i];
            loudest = std::max(loudest, std::abs(x));
            if (reads) held_[c] = x;
            double y = held_[c];
            if (b < kAllBits) y = std::round(y * steps) / steps;
            io.channel[c][i] = static_cast<float>(wet * y + (1.0 - wet) * static_cast<double>(x));
        }
    }
    reading_ = {loudest, 0.0F};
}

}  // namespace ember
