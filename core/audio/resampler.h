// Sample-rate conversion of a stream, by the SoX resampler (libsoxr) at its very high quality:
// linear phase, what comes out lies where it went in.
#pragma once

#include <functional>
#include <memory>
#include <span>
#include <vector>

namespace ember {

class Resampler {
  public:
    using Sink = std::function<void(std::span<const float> interleaved)>;

    // Rates in Hz, frames of `channels` samples. Throws Error where that cannot be.
    Resampler(int from, int to, int channels);
    ~Resampler();
    Resampler(const Resampler&) = delete;
    Resampler& operator=(const Resampler&) = delete;

    // Converts all of `in`; what comes of it goes to the sink, later pieces with later calls.
    void push(std::span<const float> in, const Sink& sink);
    // What is still inside; the stream is over.
    void finish(const Sink& sink);

  private:
    struct State;
    std::unique_ptr<State> state_;
    int channels_;
    std::vector<float> out_;
};

}  // namespace ember
