#include "core/measure/level/loudness.h"

#include "core/audio/file.h"
#include "core/base/units.h"

#include <ebur128.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace ember {
namespace {

double atLeastSilence(double value) {
    return std::isfinite(value) ? std::max(value, kSilenceDb) : kSilenceDb;
}

}  // namespace

struct LoudnessMeter::State {
    ebur128_state* r128 = nullptr;
    int channels = 0;
    bool full = false;
    double maxShortTerm = kSilenceDb;
    std::size_t sinceStep = 0, rate = 0;
    // Energies of the last 30 steps of 100 ms: their mean is the short-term energy, at the
    // cost of one pass (asking the library for 3 s every 100 ms would take thirty).
    std::array<double, 30> energy{};
    std::size_t steps = 0;

    void closeStep() {
        double loudness = 0.0;
        if (ebur128_loudness_window(r128, 100, &loudness) != EBUR128_SUCCESS) return;
        energy[steps++ % energy.size()] =
            std::isfinite(loudness) ? std::pow(10.0, loudness / 10.0) : 0.0;
        double sum = 0.0;
        for (const double e : energy) sum += e;
        maxShortTerm = std::max(
            maxShortTerm,
            sum > 0.0 ? 10.0 * std::log10(sum / static_cast<double>(energy.size())) : kSilenceDb);
    }
};

LoudnessMeter::LoudnessMeter(int channels, double sampleRate, LoudnessDetail detail)
    : state_(std::make_unique<State>()) {
    const bool full = detail == LoudnessDetail::full;
    const int mode = EBUR128_MODE_I | EBUR128_MODE_SAMPLE_PEAK | EBUR128_MODE_HISTOGRAM |
                     (full ? EBUR128_MODE_S | EBUR128_MODE_LRA | EBUR128_MODE_TRUE_PEAK : 0);
    state_->r128 = ebur128_init(static_cast<unsigned>(channels),
                                static_cast<unsigned long>(std::lround(sampleRate)), mode);
    if (state_->r128 == nullptr) {
        throw Error("Loudness cannot be measured at " + std::to_string(std::lround(sampleRate)) +
                    " Hz with " + std::to_string(channels) + " channels; convert the file first.");
    }
    // One channel stands for a mono element heard on both sides.
    if (channels == 1) ebur128_set_channel(state_->r128, 0, EBUR128_DUAL_MONO);
    state_->channels = channels;
    state_->full = full;
    state_->rate = static_cast<std::size_t>(std::lround(sampleRate));
}

LoudnessMeter::~LoudnessMeter() {
    ebur128_destroy(&state_->r128);
}

void LoudnessMeter::add(std::span<const float> interleaved) {
    State& s = *state_;
    const auto channels = static_cast<std::size_t>(s.channels);
    const std::size_t step = s.rate / 10, all = interleaved.size() / channels;
    for (std::size_t at = 0; at < all;) {
        const std::size_t frames = s.full ? std::min(step - s.sinceStep, all - at) : all;
        ebur128_add_frames_float(s.r128, interleaved.data() + at * channels, frames);
        at += frames;
        s.sinceStep += frames;
        if (s.full && s.sinceStep == step) {
            s.sinceStep = 0;
            s.closeStep();
        }
    }
}

Loudness LoudnessMeter::result() const {
    Loudness out;
    double value = 0.0;
    if (ebur128_loudness_global(state_->r128, &value) == EBUR128_SUCCESS)
        out.integrated = atLeastSilence(value);
    if (state_->full && ebur128_loudness_range(state_->r128, &value) == EBUR128_SUCCESS)
        out.range = value;
    out.maxShortTerm = state_->maxShortTerm;
    double truePeak = 0.0, samplePeak = 0.0;
    for (unsigned c = 0; c < static_cast<unsigned>(state_->channels); ++c) {
        if (ebur128_sample_peak(state_->r128, c, &value) == EBUR128_SUCCESS)
            samplePeak = std::max(samplePeak, value);
        if (state_->full && ebur128_true_peak(state_->r128, c, &value) == EBUR128_SUCCESS)
            truePeak = std::max(truePeak, value);
    }
    out.samplePeak = dbFromGain(samplePeak);
    out.truePeak = dbFromGain(std::max(truePeak, samplePeak));
    return out;
}

double loudnessRange(std::span<const std::span<const float>> sides, double sampleRate) {
    LoudnessMeter meter(static_cast<int>(sides.size()), sampleRate);
    constexpr std::size_t kAtOnce = 65536;
    std::vector<float> together;
    for (std::size_t at = 0; at < sides[0].size(); at += kAtOnce) {
        const std::size_t frames = std::min(kAtOnce, sides[0].size() - at);
        together.resize(frames * sides.size());
        for (std::size_t i = 0; i < frames; ++i) {
            for (std::size_t c = 0; c < sides.size(); ++c)
                together[i * sides.size() + c] = sides[c][at + i];
        }
        meter.add(together);
    }
    return meter.result().range;
}

Loudness measureLoudness(const std::filesystem::path& file, const Progress& progress) {
    AudioReader reader(file);
    LoudnessMeter meter(reader.info().channels, reader.info().sampleRate);
    std::vector<float> piece(static_cast<std::size_t>(reader.info().channels) * 65536);
    Frames done = 0;
    while (const Frames got = reader.read(piece)) {
        const std::span<float> part(piece.data(),
                                    static_cast<std::size_t>(got * reader.info().channels));
        for (float& x : part) x = std::isfinite(x) ? x : 0.0F;
        meter.add(part);
        done += got;
        report(progress, static_cast<double>(done) / static_cast<double>(reader.info().frames),
               file.filename().string());
    }
    return meter.result();
}

}  // namespace ember
