#include "devices/simulated_device.h"

#include "devices/pace.h"
#include "tests/support/support.h"

#include <atomic>
#include <chrono>
#include <functional>
#include <thread>

namespace ember {
namespace {

// Waits until `met`, at most ten seconds.
bool eventually(const std::function<bool()>& met) {
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(10);
    while (!met()) {
        if (std::chrono::steady_clock::now() > end) return false;
        std::this_thread::yield();
    }
    return true;
}

TEST(SimulatedDevice, CallsOnTheClockAndRecords) {
    std::atomic<int> calls{0};
    SimulatedOptions options;
    options.block = 480;
    options.recordSeconds = 2.0;
    const auto start = std::chrono::steady_clock::now();
    const SimulatedDevice device(options, [&](float* l, float* r, int n) {
        for (int i = 0; i < n; ++i) l[i] = r[i] = static_cast<float>(calls.load());
        ++calls;
    });
    ASSERT_TRUE(eventually([&] { return calls >= 21; }));
    const double seconds =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    EXPECT_GE(seconds, 0.19) << "twenty blocks of 10 ms cannot be over sooner";
    const auto heard = device.recorded();
    ASSERT_GE(heard[0].size(), 20U * 480U);
    EXPECT_EQ(heard[0][480 * 7], 7.0F);
    EXPECT_TRUE(device.state().running);
    EXPECT_TRUE(device.state().simulated);
    EXPECT_EQ(device.state().block, 480);
}

TEST(SimulatedDevice, CountsDroppedBlocksAndCanBeUnplugged) {
    std::atomic<int> calls{0};
    SimulatedOptions options;
    options.speed = 0.0;
    options.dropEvery = 10;
    SimulatedDevice device(options, [&](float*, float*, int) { ++calls; });
    ASSERT_TRUE(eventually([&] { return calls > 200; }));
    EXPECT_GE(device.state().dropped, 19);
    device.unplug();
    ASSERT_TRUE(eventually([&] { return !device.state().running; }));
    EXPECT_NE(device.state().problem.find("unplugged"), std::string::npos);
    const int at = calls;
    ASSERT_TRUE(eventually([&, began = std::chrono::steady_clock::now()] {
        return std::chrono::steady_clock::now() - began > std::chrono::milliseconds(20);
    }));
    EXPECT_LE(calls, at + 1);
}

TEST(Pace, ToldByTheClockIsARaceOnlyWhenItGoesOn) {
    Pace steady;
    // A second of buffer at once, a pause, and the clock's own jitter.
    for (int n = 0; n < 100; ++n) EXPECT_FALSE(steady.racing(480, 48000, 0.0));
    for (int n = 0; n < 6000; ++n) {
        const double pause = n > 3000 ? 30.0 : 0.0, jitter = n % 2 == 0 ? 0.004 : 0.0;
        ASSERT_FALSE(steady.racing(480, 48000, 0.01 * n + pause + jitter)) << n;
    }
    Pace fast;
    int calls = 0;
    while (!fast.racing(480, 48000, 1e-5 * calls)) ASSERT_LT(++calls, 1000);
    EXPECT_LT(0.01 * calls, 4.0) << "seconds of the song that went by before it was seen";
    EXPECT_TRUE(fast.racing(480, 48000, 1000.0)) << "and so for good";
}

TEST(Devices, FallBackToTheSimulatedOneAndSaySo) {
    std::string why;
    DeviceRequest request;
    request.backend = "no such backend";
    const auto device = openDevice(
        request, [](float*, float*, int) {}, why);
    EXPECT_TRUE(device->state().simulated);
    EXPECT_NE(why.find("simulated"), std::string::npos);
    request.backend = "clock";
    EXPECT_TRUE(openDevice(
                    request, [](float*, float*, int) {}, why)
                    ->state()
                    .running);
    EXPECT_TRUE(why.empty()) << "what was asked for needs no excuse";
}

}  // namespace
}  // namespace ember
