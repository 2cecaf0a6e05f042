// Plays the demo kit through a real audio server, goes on when the server dies and comes back, and
// counts what was lost: ember-device-soak BACKEND SECONDS
#include "core/advise/intake.h"
#include "core/base/units.h"
#include "core/engine/engine.h"
#include "demo/kit.h"
#include "demo/mix.h"
#include "devices/device.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <string>
#include <thread>

namespace {

using namespace ember;
using Clock = std::chrono::steady_clock;

double since(Clock::time_point start) {
    return std::chrono::duration<double>(Clock::now() - start).count();
}

struct Tally {
    std::atomic<std::int64_t> frames{0};
    std::int64_t dropped = 0;
    int gone = 0;          // times the server was away
    double away = 0.0;     // seconds in all
    double longest = 0.0;  // seconds until sound came back
    float peak = 0.0F;
    std::int64_t stopped = 0;
};

// What the callback says of itself; false once it says nothing any more.
bool heard(Engine& engine, Tally& tally) {
    bool any = false;
    MeterFrame frame;
    while (engine.poll(frame)) {
        any = true;
        tally.peak = std::max({tally.peak, frame.monitorPeak[0], frame.monitorPeak[1]});
        tally.stopped = frame.stoppedBlocks;
    }
    engine.collect();
    return any;
}

}  // namespace

int main(int argc, char** argv) {
    namespace fs = std::filesystem;
    if (argc != 3) {
        std::fprintf(stderr, "ember-device-soak BACKEND SECONDS\n");
        return 2;
    }
    const double seconds = std::atof(argv[2]);
    const fs::path folder =
        fs::temp_directory_path() / ("ember-device-soak-" + std::string(argv[1]));
    fs::remove_all(folder);
    demo::KitOptions options;
    options.seconds = 20.0;
    demo::writeRecording(demo::record(options), folder / "kit");
    AudioStore store(folder / "cache");
    const Session session =
        demo::demoMix(sessionFrom(takeIn({folder / "kit"}, store, options.tempo), store));
    Engine engine;
    Tally tally;
    auto plan = compile(session, store);
    engine.setLoop(true, 0, plan->length());
    engine.setPlan(std::move(plan), session.sampleRate);
    engine.setMonitorDb(0.0);
    engine.play();
    const auto callback = [&](float* left, float* right, int frames) {
        engine.process(left, right, frames);
        tally.frames += frames;
    };
    const DeviceRequest request{argv[1], "", session.sampleRate, 256};
    std::unique_ptr<AudioDevice> device;
    std::string name;
    const auto start = Clock::now();
    auto lastHeard = start;
    const auto open = [&] {
        std::string why;
        device = openDevice(request, callback, why);
        if (device->state().simulated) device.reset();
        if (device) name = device->state().backend + ", " + device->state().name;
        return device != nullptr;
    };
    if (!open()) {
        std::printf("%s: no such server\n", argv[1]);
        return 1;
    }
    while (since(start) < seconds) {
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
        if (device && heard(engine, tally)) {
            const double silent = since(lastHeard);
            if (silent > 0.25) {
                tally.away += silent;
                tally.longest = std::max(tally.longest, silent);
            }
            lastHeard = Clock::now();
        }
        // The server says that it goes, or its callbacks do not come any more.
        if (device && (!device->state().running || since(lastHeard) > 1.0)) {
            tally.dropped += device->state().dropped;
            ++tally.gone;
            device.reset();
        }
        if (!device) open();
    }
    if (device) tally.dropped += device->state().dropped;
    device.reset();
    const double played = static_cast<double>(tally.frames) / session.sampleRate;
    std::printf(
        "%s: %.1f s of %.1f s played; blocks that came too late: %lld; server gone %d times, %.1f "
        "s "
        "in all, %.1f s at most; loudest %.1f dBFS; broken blocks: %lld\n",
        name.c_str(), played, seconds, static_cast<long long>(tally.dropped), tally.gone,
        tally.away, tally.longest, static_cast<double>(20.0F * std::log10(tally.peak + 1e-9F)),
        static_cast<long long>(tally.stopped));
    fs::remove_all(folder);
    // Neither less than there was time for, nor more.
    const bool all = std::abs(played / (seconds - tally.away) - 1.0) < 0.1 && tally.peak > 0.01F;
    return all && tally.stopped == 0 ? 0 : 1;
}
