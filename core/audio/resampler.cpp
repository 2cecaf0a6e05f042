#include "core/audio/resampler.h"

#include "core/base/error.h"

#include <soxr.h>

namespace ember {
namespace {

constexpr std::size_t kPieceFrames = 131072;  // frames

}  // namespace

struct Resampler::State {
    soxr_t soxr = nullptr;
    ~State() { soxr_delete(soxr); }
};

Resampler::Resampler(int from, int to, int channels)
    : state_(std::make_unique<State>()), channels_(channels) {
    const auto quality = soxr_quality_spec(SOXR_VHQ, 0);
    soxr_error_t error = nullptr;
    state_->soxr =
        soxr_create(from, to, static_cast<unsigned>(channels), &error, nullptr, &quality, nullptr);
    if (error != nullptr) throw Error("The sample-rate conversion could not be set up.");
    out_.resize(static_cast<std::size_t>(channels) * kPieceFrames);
}

Resampler::~Resampler() = default;

void Resampler::push(std::span<const float> in, const Sink& sink) {
    const float* at = in.data();
    std::size_t left = in.size() / static_cast<std::size_t>(channels_);
    while (left > 0) {
        std::size_t used = 0, made = 0;
        soxr_process(state_->soxr, at, left, &used, out_.data(), kPieceFrames, &made);
        if (made > 0) sink({out_.data(), made * static_cast<std::size_t>(channels_)});
        at += used * static_cast<std::size_t>(channels_);
        left -= used;
    }
}

void Resampler::finish(const Sink& sink) {
    for (;;) {
        std::size_t made = 0;
        soxr_process(state_->soxr, nullptr, 0, nullptr, out_.data(), kPieceFrames, &made);
        if (made == 0) return;
        sink({out_.data(), made * static_cast<std::size_t>(channels_)});
    }
}

}  // namespace ember
