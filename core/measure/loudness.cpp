#include "core/measure/loudness.h"

#include "core/audio/file.h"
#include "core/base/units.h"

#include <ebur128.h>

#include <algorithm>
#include <cmath>
#include <vector>

namespace ember {
namespace {

double atLeastSilence(double value) { return std::isfinite(value) ? std::max(value, kSilenceDb) : kSilenceDb; }

}  // namespace

struct LoudnessMeter::State {
    ebur128_state* r128 = nullptr;
    int channels = 0;
    bool truePeak = false;
    double maxShortTerm = kSilenceDb;
    std::size_t sinceShortTerm = 0, rate = 0;
};

LoudnessMeter::LoudnessMeter(int channels, double sampleRate, bool withTruePeak) : state_(std::make_unique<State>()) {
    const int mode = EBUR128_MODE_I | EBUR128_MODE_S | EBUR128_MODE_LRA | EBUR128_MODE_SAMPLE_PEAK |
                     EBUR128_MODE_HISTOGRAM | (withTruePeak ? EBUR128_MODE_TRUE_PEAK : 0);
    state_->r128 = ebur128_init(static_cast<unsigned>(channels), static_cast<unsigned long>(std::lround(sampleRate)), mode);
    if (state_->r128 == nullptr) {
        throw Error("Loudness cannot be measured at " + std::to_string(std::lround(sampleRate)) + " Hz with " +
                    std::to_string(channels) + " channels; convert the file first.");
    }
    // One channel stands for a mono element heard on both sides.
    if (channels == 1) ebur128_set_channel(state_->r128, 0, EBUR128_DUAL_MONO);
    state_->channels = channels;
    state_->truePeak = withTruePeak;
    state_->rate = static_cast<std::size_t>(std::lround(sampleRate));
}

LoudnessMeter::~LoudnessMeter() { ebur128_destroy(&state_->r128); }

void LoudnessMeter::add(std::span<const float> interleaved) {
    State& s = *state_;
    const auto channels = static_cast<std::size_t>(s.channels);
    const std::size_t step = s.rate / 10;  // the short-term maximum is read every 100 ms
    for (std::size_t at = 0; at < interleaved.size() / channels;) {
        const std::size_t frames = std::min(step - s.sinceShortTerm, interleaved.size() / channels - at);
        ebur128_add_frames_float(s.r128, interleaved.data() + at * channels, frames);
        at += frames;
        s.sinceShortTerm += frames;
        if (s.sinceShortTerm == step) {
            s.sinceShortTerm = 0;
            s.maxShortTerm = std::max(s.maxShortTerm, shortTerm());
        }
    }
}

double LoudnessMeter::shortTerm() const {
    double value = kSilenceDb;
    ebur128_loudness_shortterm(state_->r128, &value);
    return atLeastSilence(value);
}

Loudness LoudnessMeter::result() const {
    Loudness out;
    double value = 0.0;
    if (ebur128_loudness_global(state_->r128, &value) == EBUR128_SUCCESS) out.integrated = atLeastSilence(value);
    if (ebur128_loudness_range(state_->r128, &value) == EBUR128_SUCCESS) out.range = value;
    out.maxShortTerm = state_->maxShortTerm;
    double truePeak = 0.0, samplePeak = 0.0;
    for (unsigned c = 0; c < static_cast<unsigned>(state_->channels); ++c) {
        if (ebur128_sample_peak(state_->r128, c, &value) == EBUR128_SUCCESS) samplePeak = std::max(samplePeak, value);
        if (state_->truePeak && ebur128_true_peak(state_->r128, c, &value) == EBUR128_SUCCESS) truePeak = std::max(truePeak, value);
    }
    out.samplePeak = dbFromGain(samplePeak);
    out.truePeak = dbFromGain(std::max(truePeak, samplePeak));
    return out;
}

Loudness measureLoudness(const std::filesystem::path& file, const Progress& progress) {
    AudioReader reader(file);
    LoudnessMeter meter(reader.info().channels, reader.info().sampleRate);
    std::vector<float> piece(static_cast<std::size_t>(reader.info().channels) * 65536);
    Frames done = 0;
    while (const Frames got = reader.read(piece)) {
        const std::span<float> part(piece.data(), static_cast<std::size_t>(got * reader.info().channels));
        for (float& x : part) x = std::isfinite(x) ? x : 0.0F;
        meter.add(part);
        done += got;
        report(progress, static_cast<double>(done) / static_cast<double>(reader.info().frames), file.filename().string());
    }
    return meter.result();
}

}  // namespace ember
