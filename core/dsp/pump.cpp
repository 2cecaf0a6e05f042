#include "core/dsp/pump.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <utility>

namespace ember {
namespace {

constexpr double kUsualPumpVelocity = 0.9;  // an accent's, which goes all the way down
constexpr double kOverMs = 8.0;
constexpr double kMostBend = 4.0;  // power of the way back at either end

const std::vector<Parameter>& pumpTable() {
    static const std::vector<Parameter> table{
        structuralParameter({"by",
                             "Moved by",
                             Unit::none,
                             0.0,
                             4.0,
                             2.0,
                             Scale::choice,
                             "The strokes of the drum it listens to, or the beat of the song.",
                             {"strokes", "eighths", "quarters", "halves", "bars"}}),
        {"depth",
         "Depth",
         Unit::dB,
         0.0,
         48.0,
         9.0,
         Scale::linear,
         "By how much the level steps back.",
         {}},
        {"fall",
         "Falls within",
         Unit::milliseconds,
         0.5,
         Pump::kLongestFallMs,
         4.0,
         Scale::logarithmic,
         "So long before the stroke it begins to fall, so that it is down in time.",
         {}},
        {"hold",
         "Hold",
         Unit::milliseconds,
         0.0,
         1000.0,
         20.0,
         Scale::linear,
         "How long it stays down. Takes note values.",
         {}},
        {"return",
         "Comes back in",
         Unit::milliseconds,
         10.0,
         4000.0,
         250.0,
         Scale::logarithmic,
         "How long the way back takes. Takes note values: what is over before the next beat "
         "breathes, what is not stays down.",
         {}},
        {"bend",
         "Bend",
         Unit::percent,
         -100.0,
         100.0,
         0.0,
         Scale::linear,
         "The way back: early below 0, even in dB at 0, late above it, which is heard as a swell.",
         {}},
        {"follow",
         "Follows",
         Unit::percent,
         0.0,
         100.0,
         0.0,
         Scale::linear,
         "How far a softer stroke makes it step back by less.",
         {}},
        structuralParameter({"offset",
                             "Set off",
                             Unit::percent,
                             0.0,
                             100.0,
                             0.0,
                             Scale::linear,
                             "By how much of a beat it comes later, where beats move it: half of "
                             "one is the offbeat.",
                             {}}),
    };
    return table;
}

}  // namespace

double pumpDb(std::span<const double> v, double ms, double share) {
    const double fall = v[Pump::fall], hold = v[Pump::hold], back = v[Pump::back];
    if (ms <= -fall || ms >= hold + back) return 0.0;
    const double deep = -v[Pump::depth] * share;
    if (ms < 0.0) return deep * (0.5 + 0.5 * std::cos(std::numbers::pi * ms / fall));
    if (ms <= hold) return deep;
    const double u = (ms - hold) / back, bend = v[Pump::bend] / 100.0,
                 power = std::pow(kMostBend, std::abs(bend));
    return deep * (bend < 0.0 ? std::pow(1.0 - u, power) : 1.0 - std::pow(u, power));
}

ProcessorType pumpType() {
    return {
        "pump",
        "Pump",
        Column::dynamics,
        true,
        "The level steps back under strokes or beats and comes back in a drawn shape: a bass that "
        "leaves room for the kick, rooms that breathe with the song.",
        "A gain drawn over the time from a stroke; nothing is detected.",
        pumpTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Pump>(spec, values);
        }};
}

Pump::Pump(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec),
      values_(values.begin(), values.end()),
      lead_(static_cast<int>(std::ceil(framesFromMs(kLongestFallMs, spec.sampleRate)))) {
    Pump::reset();
}

void Pump::reset() {
    dipCount_ = 0;
    now_ = here_ = first_ = 0;
    begun_ = false;
    lastDb_ = overFrom_ = overLeft_ = 0.0;
    moves_ = false;
    gains_.fill(1.0F);
}

void Pump::goOver() {
    overFrom_ = lastDb_;
    overLeft_ = 1.0;
}

void Pump::setValue(int index, double value) {
    double& was = values_[static_cast<std::size_t>(index)];
    if (was == value) return;
    was = value;
    goOver();
}

void Pump::strike(std::span<const BlockEvent> strikes) {
    for (const BlockEvent& s : strikes) {
        const std::int64_t at = now_ + s.frame - s.age + lead_;
        if (s.anew) {
            here_ = at;
            if (!std::exchange(begun_, true)) first_ = at;
            for (std::size_t d = 0; d < dipCount_; ++d) dips_[d].ends = std::min(dips_[d].ends, at);
            continue;
        }
        const double softer =
            std::min(1.0, static_cast<double>(s.event.velocity) / kUsualPumpVelocity) - 1.0;
        put({at, here_, std::numeric_limits<std::int64_t>::max(),
             1.0 + values_[follow] / 100.0 * softer});
    }
}

void Pump::put(const Dip& dip) {
    // Those of which nothing is left make room, or else the oldest.
    const auto over =
        static_cast<std::int64_t>(framesFromMs(values_[hold] + values_[back], spec_.sampleRate));
    const auto end =
        std::remove_if(dips_.begin(), dips_.begin() + static_cast<std::ptrdiff_t>(dipCount_),
                       [&](const Dip& d) { return now_ - d.at > over || now_ > d.ends; });
    dipCount_ = static_cast<std::size_t>(end - dips_.begin());
    if (dipCount_ == kDips) {
        std::move(dips_.begin() + 1, dips_.end(), dips_.begin());
        --dipCount_;
    }
    dips_[dipCount_++] = dip;
}

double Pump::dbNow() {
    double db = 0.0;
    for (std::size_t d = 0; d < dipCount_; ++d) {
        const Dip& dip = dips_[d];
        if ((now_ == dip.begins && now_ != first_) || now_ == dip.ends) goOver();
        if (now_ < dip.begins || now_ >= dip.ends) continue;
        const double ms = 1000.0 * static_cast<double>(now_ - dip.at) / spec_.sampleRate;
        db = std::min(db, pumpDb(values_, ms, dip.share));
    }
    return db;
}

void Pump::process(const AudioBlock& io, const AudioBlock& key) {
    const double step = 1000.0 / (kOverMs * spec_.sampleRate);
    double least = 0.0;
    float keyPeak = 0.0F;
    moves_ = false;
    for (int i = 0; i < io.frames; ++i, ++now_) {
        double db = dbNow();
        if (overLeft_ > 0.0) {
            db += overLeft_ * (overFrom_ - db);
            overLeft_ = std::max(0.0, overLeft_ - step);
        }
        lastDb_ = db;
        least = std::min(least, db);
        moves_ = moves_ || db != 0.0;
        gains_[static_cast<std::size_t>(i)] = db == 0.0 ? 1.0F : static_cast<float>(gainFromDb(db));
        for (int ch = 0; ch < key.channels; ++ch)
            keyPeak = std::max(keyPeak, std::abs(key.channel[ch][i]));
    }
    if (moves_) apply(io, gains_);
    reading_ = {keyPeak, static_cast<float>(least)};
}

void Pump::apply(const AudioBlock& io, const std::array<float, kBlock>& gains) const {
    for (int ch = 0; ch < io.channels; ++ch) {
        for (int i = 0; i < io.frames; ++i) io.channel[ch][i] *= gains[static_cast<std::size_t>(i)];
    }
}

void Pump::replay(const AudioBlock& io, const Processor& master) {
    const auto& whole = static_cast<const Pump&>(master);
    if (whole.moves_) apply(io, whole.gains_);
}

}  // namespace ember
