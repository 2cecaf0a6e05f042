#include "core/engine/plan_stage.h"

#include "core/base/units.h"

#include <algorithm>
#include <array>

namespace ember {

PlanStage::PlanStage(const Stage& stage, const ProcessSpec& spec)
    : processor_(processorType(stage.type).make(spec, stage.values)), on_(stage.on) {
    dryDelay_.prepare(spec.channels, processor_->latency());
    wet_.prepare(spec.sampleRate, 3.0);
    dryGain_.prepare(spec.sampleRate, 3.0);
    wet_.jump(on_ ? 1.0 : 0.0);
    dryGain_.jump(1.0);
}

void PlanStage::aim() {
    const bool heard = on_ && !auditionedOff_;
    if (heard && !active()) processor_->reset();
    wet_.aim(heard ? 1.0 : 0.0);
}

void PlanStage::setOn(bool on) {
    on_ = on;
    aim();
}

void PlanStage::setAuditionedOff(bool off, double gainDb) {
    auditionedOff_ = off;
    dryGain_.aim(off ? gainFromDb(gainDb) : 1.0);
    aim();
}

void PlanStage::strike(Frames position, int frames) {
    if (strokes.empty()) return;
    std::array<Strike, 16> within{};
    std::size_t count = 0;
    const auto first = std::lower_bound(strokes.begin(), strokes.end(), position,
                                        [](const Struck& s, Frames f) { return s.at < f; });
    for (auto s = first; s != strokes.end() && s->at < position + frames && count < within.size();
         ++s)
        within[count++] = {static_cast<int>(s->at - position), s->ghost};
    if (count > 0) processor_->strike({within.data(), count});
}

void PlanStage::process(const AudioBlock& io, const AudioBlock* key, Frames position) {
    strike(position, io.frames);
    const bool steady = !wet_.moving() && !dryGain_.moving();
    if (steady && wet_.value() == 0.0) {
        dryDelay_.process(io);
        if (dryGain_.value() != 1.0) {
            const auto gain = static_cast<float>(dryGain_.value());
            for (int c = 0; c < io.channels; ++c) {
                for (int i = 0; i < io.frames; ++i) io.channel[c][i] *= gain;
            }
        }
        return;
    }
    if (steady && dryDelay_.frames() == 0) {
        processor_->process(io, key != nullptr ? *key : io);
        return;
    }
    float copy[2][kBlock];
    const AudioBlock dry{{copy[0], copy[1]}, io.channels, io.frames};
    for (int c = 0; c < io.channels; ++c) std::copy_n(io.channel[c], io.frames, copy[c]);
    dryDelay_.process(dry);
    processor_->process(io, key != nullptr ? *key : io);
    if (steady) return;
    for (int i = 0; i < io.frames; ++i) {
        const auto wet = static_cast<float>(wet_.next());
        const float gain = (1.0F - wet) * static_cast<float>(dryGain_.next());
        for (int c = 0; c < io.channels; ++c)
            io.channel[c][i] = wet * io.channel[c][i] + gain * copy[c][i];
    }
}

void PlanStage::replay(const AudioBlock& io, const PlanStage& master) {
    if (master.active()) {
        processor_->replay(io, *master.processor_);
    } else {
        dryDelay_.process(io);
    }
}

}  // namespace ember
