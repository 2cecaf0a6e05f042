#include "devices/simulated_device.h"

#include "core/base/random.h"
#include "devices/load_meter.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <mutex>
#include <thread>

namespace ember {

struct SimulatedDevice::Impl {
    SimulatedOptions options;
    AudioCallback callback;
    LoadMeter load;
    std::atomic<bool> unplugged{false};
    std::atomic<std::int64_t> dropped{0};
    std::vector<float> tape[2];
    std::atomic<std::size_t> taped{0};
    std::mutex mutex;
    std::condition_variable wake;
    bool stopping = false;
    std::thread thread;

    void run() {
        using Clock = std::chrono::steady_clock;
        Random random(options.seed);
        const auto frames = static_cast<std::size_t>(options.block);
        std::vector<float> left(frames), right(frames);
        const double period = options.block / static_cast<double>(options.sampleRate);
        const auto start = Clock::now();
        for (std::int64_t count = 0;; ++count) {
            {
                std::unique_lock lock(mutex);
                if (options.speed > 0.0) {
                    const double late = options.jitterMs * 1e-3 * random.uniform();
                    const auto due =
                        start +
                        std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(
                            (static_cast<double>(count) * period) / options.speed + late));
                    wake.wait_until(lock, due, [&] { return stopping; });
                }
                if (stopping || unplugged) return;
            }
            load.begin();
            callback(left.data(), right.data(), options.block);
            load.end(options.block, options.sampleRate);
            if (options.dropEvery > 0 && count % options.dropEvery == options.dropEvery - 1)
                ++dropped;
            const std::size_t at = taped.load(std::memory_order_relaxed);
            const std::size_t take = std::min(frames, tape[0].size() - at);
            std::copy_n(left.data(), take, tape[0].data() + at);
            std::copy_n(right.data(), take, tape[1].data() + at);
            taped.store(at + take, std::memory_order_release);
        }
    }
};

SimulatedDevice::SimulatedDevice(const SimulatedOptions& options, AudioCallback callback)
    : impl_(std::make_unique<Impl>()) {
    impl_->options = options;
    impl_->callback = std::move(callback);
    for (auto& side : impl_->tape)
        side.resize(static_cast<std::size_t>(options.recordSeconds * options.sampleRate));
    impl_->thread = std::thread([this] { impl_->run(); });
}

SimulatedDevice::~SimulatedDevice() {
    {
        const std::lock_guard lock(impl_->mutex);
        impl_->stopping = true;
    }
    impl_->wake.notify_all();
    impl_->thread.join();
}

DeviceState SimulatedDevice::state() const {
    DeviceState s;
    s.simulated = true;
    s.running = !impl_->unplugged;
    s.name = "Simulated device";
    s.backend = "clock";
    s.sampleRate = impl_->options.sampleRate;
    s.block = impl_->options.block;
    s.latencyMs = 1000.0 * s.block / s.sampleRate;
    s.dropped = impl_->dropped;
    s.load = impl_->load.value();
    if (!s.running)
        s.problem = "The audio device was unplugged: plug it in again or choose another one.";
    return s;
}

void SimulatedDevice::unplug() {
    const std::lock_guard lock(impl_->mutex);
    impl_->unplugged = true;
    impl_->wake.notify_all();
}

std::vector<std::vector<float>> SimulatedDevice::recorded() const {
    const auto count = static_cast<std::ptrdiff_t>(impl_->taped.load(std::memory_order_acquire));
    std::vector<std::vector<float>> out;
    for (const auto& side : impl_->tape) out.emplace_back(side.begin(), side.begin() + count);
    return out;
}

}  // namespace ember
