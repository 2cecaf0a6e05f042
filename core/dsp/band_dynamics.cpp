#include "core/dsp/band_dynamics.h"

#include "core/base/units.h"
#include "core/dsp/decibels.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// What one type begins with; the rest of the table is the same for all.
struct Start {
    BandMode mode;
    double threshold, ratio, range, attack, hold, release, from, to;
};

std::vector<Parameter> bandTable(const Start& s) {
    return {
        {"mode",
         "Mode",
         Unit::none,
         0.0,
         2.0,
         static_cast<double>(s.mode),
         Scale::choice,
         "expand: quieter below the threshold. press: quieter above it (ducking, with another "
         "element as key). raise: louder above it.",
         {"expand", "press", "raise"}},
        {"threshold",
         "Threshold",
         Unit::dB,
         -80.0,
         0.0,
         s.threshold,
         Scale::linear,
         "Where it begins, for the level in the band.",
         {}},
        {"ratio",
         "Ratio",
         Unit::ratio,
         1.0,
         20.0,
         s.ratio,
         Scale::logarithmic,
         "How much a dB of level changes the gain: gentle near 1, a gate or a wall far above.",
         {}},
        {"range",
         "Range",
         Unit::dB,
         0.0,
         60.0,
         s.range,
         Scale::linear,
         "The gain never moves further than this.",
         {}},
        {"attack",
         "Attack",
         Unit::milliseconds,
         0.05,
         200.0,
         s.attack,
         Scale::logarithmic,
         "Time to 63 % when a stroke comes.",
         {}},
        {"hold",
         "Hold",
         Unit::milliseconds,
         0.0,
         1000.0,
         s.hold,
         Scale::linear,
         "Stays as it is this long after the stroke.",
         {}},
        {"release",
         "Release",
         Unit::milliseconds,
         5.0,
         2000.0,
         s.release,
         Scale::logarithmic,
         "Time to give back 63 %.",
         {}},
        {"from",
         "From",
         Unit::hertz,
         20.0,
         12000.0,
         s.from,
         Scale::logarithmic,
         "Only what lies above is turned, and heard by the detector.",
         {}},
        {"to",
         "To",
         Unit::hertz,
         100.0,
         20000.0,
         s.to,
         Scale::logarithmic,
         "Only what lies below is turned, and heard by the detector.",
         {}},
        structuralParameter({"look-ahead",
                             "Look-ahead",
                             Unit::milliseconds,
                             0.0,
                             20.0,
                             0.0,
                             Scale::linear,
                             "Hears this much ahead. Adds that latency, which is compensated.",
                             {}}),
        keyListenParameter(),
        {"mix", "Mix", Unit::percent, 0.0, 100.0, 100.0, Scale::linear, "Share of the effect.", {}},
        trimParameter(),
    };
}

const std::vector<Parameter>& expanderTable() {
    static const std::vector<Parameter> table =
        bandTable({BandMode::expand, -36.0, 2.0, 12.0, 1.0, 40.0, 150.0, 20.0, 20000.0});
    return table;
}

// The ear is most sensitive between 2.5 and 6 kHz (ISO 226:2003): there harshness is felt first.
const std::vector<Parameter>& deHarsherTable() {
    static const std::vector<Parameter> table =
        bandTable({BandMode::press, -30.0, 3.0, 8.0, 2.0, 0.0, 60.0, 2500.0, 7000.0});
    return table;
}

std::unique_ptr<Processor> makeBand(const ProcessSpec& spec, std::span<const double> values) {
    return std::make_unique<BandDynamics>(spec, values);
}

}  // namespace

double bandCurve(BandMode mode, double levelDb, double thresholdDb, double ratio, double rangeDb) {
    const double over = levelDb - thresholdDb;
    switch (mode) {
        case BandMode::expand:
            return over >= 0.0 ? 0.0 : std::max(-rangeDb, (ratio - 1.0) * over);
        case BandMode::press:
            return over <= 0.0 ? 0.0 : std::max(-rangeDb, -(1.0 - 1.0 / ratio) * over);
        case BandMode::raise:
            return over <= 0.0 ? 0.0 : std::min(rangeDb, (ratio - 1.0) * over);
    }
    return 0.0;
}

ProcessorType expanderType() {
    return {"expander",
            "Expander",
            Column::gate,
            true,
            "Gentler than a gate: lowers what lies between strokes, of the whole drum or only of "
            "its treble, where cymbals bleed.",
            "Level and gain after Giannoulis, Massberg & Reiss, JAES 60(6), 2012; shelves of "
            "state-variable filters after Zavalishin, The Art of VA Filter Design, 2018.",
            expanderTable(),
            makeBand};
}

ProcessorType deHarsherType() {
    return {"de-harsher",
            "De-harsher",
            Column::repair,
            true,
            "Lowers the band where the ear is most sensitive, only while it is too much.",
            "As the expander; its band is where ISO 226:2003 shows the ear most sensitive.",
            deHarsherTable(),
            makeBand};
}

BandDynamics::BandDynamics(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    delay_.prepare(
        spec.channels,
        static_cast<int>(std::lround(framesFromMs(values_[lookAhead], spec.sampleRate))));
    for (Smoother* s : {&threshold_, &ratio_, &range_, &mix_}) s->prepare(spec.sampleRate);
    listen_.prepare(spec.sampleRate);
    trim_.prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    BandDynamics::reset();
}

void BandDynamics::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    switch (index) {
        case threshold:
            threshold_.aim(value);
            break;
        case ratio:
            ratio_.aim(value);
            break;
        case range:
            range_.aim(value);
            break;
        case keyListen:
            listen_.set(value >= 0.5);
            break;
        case mix:
            mix_.aim(value / 100.0);
            break;
        case output:
            trim_.set(value);
            break;
        case from:
        case to:
            for (int c = 0; c < 2; ++c) {
                const double top = std::max(values_[to], 1.2 * values_[from]);
                band_[c].set(values_[from], top, spec_.sampleRate);
                heard_[c].set(values_[from], top, spec_.sampleRate);
            }
            break;
        default:
            break;
    }
}

void BandDynamics::reset() {
    delay_.reset();
    for (int c = 0; c < 2; ++c) {
        band_[c].reset();
        heard_[c].reset();
    }
    for (Smoother* s : {&threshold_, &ratio_, &range_, &mix_}) s->jump(s->target());
    listen_.reset();
    trim_.reset();
    peak_ = 0.0;
    holdLeft_ = 0;
    // At rest: what silence gets.
    gain_ = bandCurve(static_cast<BandMode>(std::lround(values_[mode])), kSilenceDb,
                      values_[threshold], values_[ratio], values_[range]);
}

void BandDynamics::process(const AudioBlock& io, const AudioBlock& key) {
    const auto how = static_cast<BandMode>(std::lround(values_[mode]));
    const double rate = spec_.sampleRate, up = 1.0 - std::exp(-1000.0 / (values_[attack] * rate)),
                 down = 1.0 - std::exp(-1000.0 / (values_[release] * rate)),
                 ride = std::exp(-1000.0 / (3.0 * rate));
    const int holdFrames = static_cast<int>(std::lround(framesFromMs(values_[hold], rate)));
    float heard[2][kBlock] = {};
    float loudest = 0.0F, most = 0.0F;
    float levels[kBlock];
    for (int i = 0; i < io.frames; ++i) {
        double level = 0.0;
        for (int c = 0; c < key.channels; ++c) {
            const double x = key.channel[c][i], band = heard_[c].whole() ? x : heard_[c].next(x);
            heard[c][i] = static_cast<float>(band);
            level = std::max(level, std::abs(band));
        }
        loudest = std::max(loudest, static_cast<float>(level));
        // The peak is held over half a wave, so that the gain does not ripple with it.
        peak_ = std::max(level, ride * peak_);
        levels[i] = static_cast<float>(peak_);
    }
    listen_.take({{heard[0], heard[1]}, key.channels, io.frames}, io.channels);
    toDecibels(levels, io.frames);
    for (int i = 0; i < io.frames; ++i) {
        const double wanted =
            bandCurve(how, levels[i], threshold_.next(), ratio_.next(), range_.next());
        // Attack: towards what a loud stroke wants.
        const bool attacks = how == BandMode::press ? wanted < gain_ : wanted > gain_;
        if (attacks) {
            gain_ += up * (wanted - gain_);
            holdLeft_ = holdFrames;
        } else if (holdLeft_ > 0) {
            --holdLeft_;
        } else {
            gain_ += down * (wanted - gain_);
        }
        if (std::abs(gain_) < 1e-6 && wanted == 0.0) gain_ = 0.0;
        if (std::abs(gain_) > std::abs(static_cast<double>(most))) most = static_cast<float>(gain_);
        gains_[i] = static_cast<float>(gain_);
    }
    toGains(gains_, gains_, io.frames);
    for (int i = 0; i < io.frames; ++i)
        gains_[i] = 1.0F + static_cast<float>(mix_.next()) * (gains_[i] - 1.0F);
    reading_ = {loudest, most};
    apply(io, gains_);
    listen_.play(io);
}

void BandDynamics::apply(const AudioBlock& io, const float* gains) {
    delay_.process(io);
    for (int c = 0; c < io.channels; ++c) {
        for (int i = 0; i < io.frames; ++i)
            io.channel[c][i] =
                static_cast<float>(band_[c].next(io.channel[c][i], static_cast<double>(gains[i])));
    }
    trim_.apply(io);
}

void BandDynamics::replay(const AudioBlock& io, const Processor& master) {
    apply(io, static_cast<const BandDynamics&>(master).gains_);
}

}  // namespace ember
