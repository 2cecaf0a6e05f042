// Where sound goes: a real device through RtAudio, or a simulated one on a clock.
//
// The callback runs on the device's own thread and must be real-time safe. start and
// stop belong to one control thread; state() may be asked from any.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace ember {

// Fills `frames` samples of both sides.
using AudioCallback = std::function<void(float* left, float* right, int frames)>;

struct DeviceState {
    bool running = false;
    bool simulated = false;
    std::string name;     // "Simulated device", "Built-in Audio"
    std::string backend;  // "ALSA", "PulseAudio", "JACK", "clock"
    int sampleRate = 0;
    int block = 0;
    double latencyMs = 0.0;
    std::int64_t dropped = 0;  // blocks the device could not play in time
    double load = 0.0;         // time in the callback over the time it may take, recent average
    std::string problem;       // one sentence when it stopped by itself
};

class AudioDevice {
  public:
    AudioDevice() = default;
    virtual ~AudioDevice() = default;  // stops
    AudioDevice(const AudioDevice&) = delete;
    AudioDevice& operator=(const AudioDevice&) = delete;
    [[nodiscard]] virtual DeviceState state() const = 0;
};

struct DeviceInfo {
    std::string backend, name;
    bool preferred = false;  // of its backend
    std::vector<int> rates;
};

// What RtAudio finds, backend by backend. Takes time; not for the window's thread while it plays.
std::vector<DeviceInfo> listDevices();

struct DeviceRequest {
    std::string backend;  // empty: whatever there is; "clock": the simulated one
    std::string name;     // empty: the backend's default
    int sampleRate = 48000;
    int block = 256;
};

// Opens and starts. Where there is no device, or it cannot run at this rate, the simulated
// one stands in and `why` says so in a sentence.
std::unique_ptr<AudioDevice> openDevice(const DeviceRequest& request, AudioCallback callback,
                                        std::string& why);

}  // namespace ember
