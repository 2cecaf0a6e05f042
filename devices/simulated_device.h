// A device without hardware: the same callback, called on a clock, with the faults that
// real devices have, at will.
#pragma once

#include "devices/device.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace ember {

struct SimulatedOptions {
    int sampleRate = 48000;
    int block = 256;
    double jitterMs = 0.0;     // each call is late by up to this much
    int dropEvery = 0;         // every nth block is lost as if it came too late; 0: none
    double speed = 1.0;        // of the clock; 0: as fast as it goes
    double recordSeconds = 0;  // keeps what was played, up to this length
    std::uint64_t seed = 1;
};

class SimulatedDevice : public AudioDevice {
  public:
    SimulatedDevice(const SimulatedOptions& options, AudioCallback callback);
    ~SimulatedDevice() override;

    [[nodiscard]] DeviceState state() const override;
    // As if the cable were pulled: the callback is not called again.
    void unplug();
    // What was played so far, left and right. Any thread, while running or after.
    [[nodiscard]] std::vector<std::vector<float>> recorded() const;

  private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

}  // namespace ember
