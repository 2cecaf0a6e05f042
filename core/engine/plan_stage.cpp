#include "core/engine/plan_stage.h"

#include "core/base/number.h"
#include "core/base/units.h"

#include <algorithm>
#include <functional>
#include <string>

namespace ember {

namespace {

// Two stages of one part can go on where the other is.
std::uint64_t partOf(const Stage& stage, const ProcessSpec& spec) {
    std::string part = stage.id + "\n" + stage.type + "\n" + std::to_string(spec.channels) + "\n" +
                       plainText(spec.sampleRate, 3);
    const ParameterTable table = processorType(stage.type).table;
    for (std::size_t i = 0; i < table.size(); ++i) {
        if (table[i].structural) part += "\n" + plainText(stage.values[i], 9);
    }
    return std::hash<std::string>{}(part);
}

}  // namespace

PlanStage::PlanStage(const Stage& stage, const ProcessSpec& spec)
    : part_(partOf(stage, spec)),
      processor_(processorType(stage.type).make(spec, stage.values)),
      values_(stage.values),
      on_(stage.on) {
    dryDelay_.prepare(spec.channels, processor_->latency());
    wet_.prepare(spec.sampleRate, 3.0);
    dryGain_.prepare(spec.sampleRate, 3.0);
    wet_.jump(on_ ? 1.0 : 0.0);
    dryGain_.jump(1.0);
}

void PlanStage::aim() {
    if (heard() && !active()) {
        processor_->reset();
        fresh_ = true;
    }
    wet_.aim(heard() ? 1.0 : 0.0);
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

void PlanStage::setValue(int parameter, double value) {
    values_[static_cast<std::size_t>(parameter)] = value;
    processor_->setValue(parameter, value);
}

void PlanStage::adopt(const PlanStage& other) {
    processor_->adopt(*other.processor_);
    // What this plan was compiled with holds, reached from where the sound is.
    for (std::size_t i = 0; i < values_.size(); ++i) {
        if (values_[i] != other.values_[i]) processor_->setValue(static_cast<int>(i), values_[i]);
    }
    dryDelay_.adopt(other.dryDelay_);
    wet_ = other.wet_;
    dryGain_ = other.dryGain_;
    fresh_ = other.fresh_;
    begun_ = other.begun_;
    for (const CurveReader& c : other.curves)
        processor_->setValue(c.parameter(), values_[static_cast<std::size_t>(c.parameter())]);
    for (CurveReader& c : curves) {
        for (const CurveReader& before : other.curves) {
            if (before.parameter() == c.parameter()) c.adopt(before);
        }
    }
    dryGain_.aim(1.0);
    aim();
}

void PlanStage::follow(const TimeLine& time, int block) {
    for (CurveReader& c : curves) {
        const auto values = c.in(time, block);
        if (!processor_->followCurve(c.parameter(), values) && c.moved())
            processor_->setValue(c.parameter(), values.back());
    }
    // Nothing sounds yet: it begins where the curves are.
    if (!begun_) processor_->reset();
}

void PlanStage::process(const AudioBlock& io, const AudioBlock* key, const TimeLine& time,
                        int block, Frames moved) {
    if (!curves.empty()) follow(time, block);
    begun_ = true;
    if (!track.empty() && active()) {
        const auto told = track.in(time, block, trackDelay + moved, fresh_);
        if (!told.empty()) processor_->strike(told);
        fresh_ = false;
    }
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

}  // namespace ember
