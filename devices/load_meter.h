// How much of its time a callback takes.
#pragma once

#include <atomic>
#include <chrono>

namespace ember {

// begin/end on the audio thread, value() anywhere.
class LoadMeter {
  public:
    void begin() { start_ = Clock::now(); }
    void end(int frames, int sampleRate) {
        const double spent = std::chrono::duration<double>(Clock::now() - start_).count();
        const double share = spent * sampleRate / frames;
        load_.store(0.95 * load_.load(std::memory_order_relaxed) + 0.05 * share,
                    std::memory_order_relaxed);
    }
    [[nodiscard]] double value() const { return load_.load(std::memory_order_relaxed); }

  private:
    using Clock = std::chrono::steady_clock;
    Clock::time_point start_;
    std::atomic<double> load_{0.0};
};

}  // namespace ember
