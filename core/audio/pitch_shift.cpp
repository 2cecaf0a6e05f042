#include "core/audio/pitch_shift.h"

#include <rubberband/RubberBandStretcher.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace ember {
namespace {

using RubberBand::RubberBandStretcher;

constexpr std::size_t kPiece = 4096;

// Calls each(pointers, frames, last) for the audio piece by piece.
template <typename Each>
void eachPiece(const AudioBuffer& audio, Each each) {
    std::vector<const float*> at(audio.channels.size());
    for (std::size_t from = 0; from < audio.frames(); from += kPiece) {
        for (std::size_t c = 0; c < at.size(); ++c) at[c] = audio.channels[c].data() + from;
        each(at.data(), std::min(kPiece, audio.frames() - from), from + kPiece >= audio.frames());
    }
}

}  // namespace

AudioBuffer pitchShifted(const AudioBuffer& audio, double semitones, const Progress& progress) {
    if (semitones == 0.0 || audio.frames() == 0) return audio;
    RubberBandStretcher stretcher(
        static_cast<std::size_t>(std::lround(audio.sampleRate)), audio.channels.size(),
        RubberBandStretcher::OptionProcessOffline | RubberBandStretcher::OptionEngineFiner |
            RubberBandStretcher::OptionChannelsTogether,
        1.0, std::pow(2.0, semitones / 12.0));
    // It says on the way what is nothing to say.
    stretcher.setDebugLevel(-1);
    stretcher.setExpectedInputDuration(audio.frames());
    stretcher.setMaxProcessSize(kPiece);
    const auto share = [&](std::size_t done) {
        return static_cast<double>(done) / static_cast<double>(audio.frames());
    };
    std::size_t seen = 0;
    eachPiece(audio, [&](const float* const* piece, std::size_t frames, bool last) {
        stretcher.study(piece, frames, last);
        seen += frames;
        report(progress, 0.2 * share(seen), "Shifting the pitch");
    });
    AudioBuffer out{audio.sampleRate, {}};
    out.channels.resize(audio.channels.size());
    std::vector<std::vector<float>> got(audio.channels.size(), std::vector<float>(kPiece));
    std::vector<float*> into;
    into.reserve(got.size());
    for (auto& side : got) into.push_back(side.data());
    const auto take = [&] {
        for (int ready = stretcher.available(); ready > 0; ready = stretcher.available()) {
            const std::size_t frames =
                stretcher.retrieve(into.data(), std::min(kPiece, static_cast<std::size_t>(ready)));
            if (frames == 0) break;
            for (std::size_t c = 0; c < got.size(); ++c)
                out.channels[c].insert(out.channels[c].end(), got[c].begin(),
                                       got[c].begin() + static_cast<std::ptrdiff_t>(frames));
        }
    };
    seen = 0;
    eachPiece(audio, [&](const float* const* piece, std::size_t frames, bool last) {
        stretcher.process(piece, frames, last);
        take();
        seen += frames;
        report(progress, 0.2 + 0.8 * share(seen), "Shifting the pitch");
    });
    take();
    for (auto& side : out.channels) side.resize(audio.frames(), 0.0F);
    return out;
}

}  // namespace ember
