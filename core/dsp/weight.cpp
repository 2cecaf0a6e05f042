#include "core/dsp/weight.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kUsualVelocity = 0.9;   // an accent's, which is as loud as the level says
constexpr double kDbPerTenfold = 30.0;   // half the velocity is 9 dB less
constexpr double kWeightSilent = -60.0;  // dB: the level at which there is no tone
constexpr double kLeaveMs = 8.0;         // for a stroke that another takes the place of
constexpr double kReachMs = 5.0;         // in which the level of a stroke is found out
constexpr double kRearmDb = 6.0, kRearmMs = 40.0, kFallMs = 60.0;
constexpr double kFaintestDb = -100.0;  // where a tone is over

const std::vector<Parameter>& weightTable() {
    static const std::vector<Parameter> table{
        {"note",
         "Note",
         Unit::hertz,
         20.0,
         250.0,
         50.0,
         Scale::logarithmic,
         "Where the tone ends up: the drum's own note, an octave under it, or the song's key.",
         {}},
        {"level",
         "Level",
         Unit::dB,
         kWeightSilent,
         6.0,
         -18.0,
         Scale::linear,
         "Peak of the tone under an accent, dBFS. At the lower end there is none.",
         {}},
        {"decay",
         "Decay",
         Unit::milliseconds,
         30.0,
         4000.0,
         400.0,
         Scale::logarithmic,
         "How long it takes to fall by 60 dB. Takes note values.",
         {}},
        {"sweep",
         "Falls by",
         Unit::semitones,
         0.0,
         36.0,
         0.0,
         Scale::linear,
         "By how much higher it begins: a fall is heard as the stroke of a beater.",
         {}},
        {"sweep-time",
         "Within",
         Unit::milliseconds,
         5.0,
         300.0,
         40.0,
         Scale::logarithmic,
         "How long the fall takes to come near the note.",
         {}},
        {"rise",
         "Fade in",
         Unit::milliseconds,
         0.5,
         80.0,
         3.0,
         Scale::logarithmic,
         "How slowly it comes in: longer leaves the attack to the drum.",
         {}},
        {"follow",
         "Follows",
         Unit::percent,
         0.0,
         100.0,
         100.0,
         Scale::linear,
         "How far its loudness follows the stroke's: 0 is as loud under every stroke.",
         {}},
        {"polarity",
         "Polarity",
         Unit::none,
         0.0,
         1.0,
         0.0,
         Scale::choice,
         "Whether its first wave goes up or down: take what gives the drum more.",
         {"normal", "inverted"}},
        {"key-source",
         "Struck by",
         Unit::none,
         0.0,
         1.0,
         1.0,
         Scale::choice,
         "The level of what it listens to, or the drum's detected strokes.",
         {"level", "strokes"}},
        {"threshold",
         "Threshold",
         Unit::dB,
         -60.0,
         0.0,
         -24.0,
         Scale::linear,
         "By level: what rises over it is a stroke. A peak of 0 dBFS is as loud as the level says.",
         {}},
    };
    return table;
}

// c of the fall, and its time constant, seconds: after the time it says it is a twentieth.
double fallOf(std::span<const double> v) {
    return std::numbers::ln2 * v[Weight::sweep] / 12.0;
}
double constantOf(std::span<const double> v) {
    return v[Weight::sweepTime] / 1000.0 / 3.0;
}

// Turns since the stroke: the integral of f0 exp(c exp(-t / tau)), term by term of the series of
// the outer exponential.
double turnsAt(std::span<const double> v, double hertz, double seconds) {
    const double c = fallOf(v), tau = constantOf(v);
    double sum = seconds, power = 1.0;
    for (int k = 1; k <= 24; ++k) {
        power *= c / k;
        sum += power * tau / k * (1.0 - std::exp(-k * seconds / tau));
    }
    return hertz * sum;
}

double fadeInAt(std::span<const double> v, double seconds) {
    const double up = v[Weight::rise] / 1000.0;
    return seconds >= up ? 1.0 : 0.5 - 0.5 * std::cos(std::numbers::pi * seconds / up);
}

}  // namespace

double weightHertz(std::span<const double> v, double seconds) {
    return v[Weight::note] * std::exp(fallOf(v) * std::exp(-seconds / constantOf(v)));
}

double weightDb(std::span<const double> v, double seconds) {
    return v[Weight::level] - 60.0 * seconds / (v[Weight::decay] / 1000.0) +
           dbFromGain(fadeInAt(v, seconds));
}

ProcessorType weightType() {
    return {
        "weight",
        "Weight",
        Column::colour,
        true,
        "A low tone under each stroke, tuned to the drum or the song, for a drum that has no "
        "bottom "
        "of its own.",
        "A sine whose frequency falls exponentially, its phase in closed form.",
        weightTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Weight>(spec, values);
        }};
}

Weight::Weight(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    for (Smoother* s : {&note_, &level_, &polarity_}) s->prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Weight::reset();
}

void Weight::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    if (index == note) note_.aim(value);
    if (index == level) level_.aim(value <= kWeightSilent ? 0.0 : gainFromDb(value));
    if (index == polarity) polarity_.aim(value >= 0.5 ? -1.0 : 1.0);
    if (index == keySource) struck_ = 0;
}

void Weight::reset() {
    for (Smoother* s : {&note_, &level_, &polarity_}) s->jump(s->target());
    voices_ = {};
    struck_ = newest_ = 0;
    envelope_ = peak_ = 0.0;
    since_ = 1.0;
    armed_ = true;
}

double Weight::gainOf(double velocity) const {
    const double db = kDbPerTenfold * std::log10(std::max(0.01, velocity) / kUsualVelocity);
    return gainFromDb(values_[follow] / 100.0 * db);
}

void Weight::strike(std::span<const BlockEvent> strikes) {
    if (!wantsStrokes()) return;
    for (const BlockEvent& s : strikes) {
        if (struck_ >= kStrikes) return;
        strikes_[static_cast<std::size_t>(struck_++)] = {
            s.frame, static_cast<double>(s.age) / spec_.sampleRate,
            gainOf(static_cast<double>(s.event.velocity)), s.anew};
    }
}

void Weight::letGo() {
    for (Voice& v : voices_) v.leaving = true;
}

void Weight::begin(double age, double gain) {
    letGo();
    newest_ = (newest_ + 1) % kVoices;
    Voice& v = voices_[static_cast<std::size_t>(newest_)];
    v = {true, age, turnsAt(values_, note_.value(), age), gain, gain, 1.0, false};
}

// The level that strikes: a peak that falls slowly, armed again once it has fallen far enough.
void Weight::listen(double magnitude) {
    const double second = 1.0 / spec_.sampleRate;
    envelope_ = std::max(magnitude, envelope_ * std::exp(-1000.0 * second / kFallMs));
    since_ += second;
    if (!armed_ && since_ > kRearmMs / 1000.0 && envelope_ < peak_ * gainFromDb(-kRearmDb))
        armed_ = true;
    if (armed_ && magnitude > gainFromDb(values_[threshold])) {
        armed_ = false;
        since_ = peak_ = 0.0;
        begin(0.0, 0.0);
    }
    if (since_ * 1000.0 > kReachMs) {
        peak_ = std::max(peak_, envelope_);
        return;
    }
    peak_ = std::max(peak_, magnitude);
    voices_[static_cast<std::size_t>(newest_)].gainTo =
        gainFromDb(values_[follow] / 100.0 * dbFromGain(peak_));
}

void Weight::process(const AudioBlock& io, const AudioBlock& key) {
    const double second = 1.0 / spec_.sampleRate, leave = second / (kLeaveMs / 1000.0),
                 settle = 1.0 - std::exp(-second / 0.001), c = fallOf(values_),
                 tau = constantOf(values_), slope = -60.0 / (values_[decay] / 1000.0);
    const bool byStrokes = wantsStrokes();
    float keyPeak = 0.0F;
    int next = 0;
    for (int i = 0; i < io.frames; ++i) {
        for (; next < struck_ && strikes_[static_cast<std::size_t>(next)].frame <= i; ++next) {
            const Strike& s = strikes_[static_cast<std::size_t>(next)];
            s.anew ? letGo() : begin(s.age, s.gain);
        }
        float loudest = 0.0F;
        for (int ch = 0; ch < key.channels; ++ch)
            loudest = std::max(loudest, std::abs(key.channel[ch][i]));
        keyPeak = std::max(keyPeak, loudest);
        if (!byStrokes) listen(static_cast<double>(loudest));
        const double hertz = note_.next(), scale = level_.next() * polarity_.next();
        double tone = 0.0;
        for (Voice& v : voices_) {
            if (!v.sounds) continue;
            v.gain += settle * (v.gainTo - v.gain);
            const double db = slope * v.age;
            const double stays = 0.5 - 0.5 * std::cos(std::numbers::pi * std::max(0.0, v.left));
            tone += v.gain * stays * fadeInAt(values_, v.age) * gainFromDb(db) *
                    std::sin(2.0 * std::numbers::pi * v.phase);
            v.phase += second * hertz *
                       (c == 0.0 ? 1.0 : std::exp(c * std::exp(-(v.age + 0.5 * second) / tau)));
            v.phase -= std::floor(v.phase);
            v.age += second;
            if (v.leaving) v.left -= leave;
            if (v.left <= 0.0 || db < kFaintestDb) v.sounds = false;
        }
        const auto added = static_cast<float>(scale * tone);
        for (int ch = 0; ch < io.channels; ++ch) io.channel[ch][i] += added;
    }
    struck_ = 0;
    reading_ = {keyPeak, 0.0F};
}

void Weight::replay(const AudioBlock& io, const Processor& master) {
    (void)io;
    (void)master;
}

}  // namespace ember
