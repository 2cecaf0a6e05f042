#include "devices/device.h"
#include "devices/load_meter.h"
#include "devices/pace.h"
#include "devices/simulated_device.h"

#include <rtaudio/RtAudio.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstring>

namespace ember {
namespace {

class RtAudioDevice : public AudioDevice {
  public:
    // Throws RtAudioError.
    RtAudioDevice(RtAudio::Api api, unsigned int device, const DeviceRequest& request,
                  AudioCallback callback)
        : callback_(std::move(callback)), audio_(api) {
        audio_.showWarnings(false);
        const RtAudio::DeviceInfo info = audio_.getDeviceInfo(device);
        name_ = info.name;
        backend_ = RtAudio::getApiDisplayName(api);
        RtAudio::StreamParameters out;
        out.deviceId = device;
        out.nChannels = 2;
        RtAudio::StreamOptions options;
        options.flags = RTAUDIO_NONINTERLEAVED | RTAUDIO_SCHEDULE_REALTIME;
        options.streamName = "Ember Cask";
        block_ = static_cast<unsigned int>(request.block);
        audio_.openStream(
            &out, nullptr, RTAUDIO_FLOAT32, static_cast<unsigned int>(request.sampleRate), &block_,
            &RtAudioDevice::fill, this, &options, [](RtAudioError::Type, const std::string&) {});
        rate_ = static_cast<int>(audio_.getStreamSampleRate());
        if (rate_ != request.sampleRate) throw RtAudioError("The device runs at another rate.");
        audio_.startStream();
    }
    ~RtAudioDevice() override {
        try {
            if (audio_.isStreamOpen()) audio_.closeStream();
        } catch (const RtAudioError&) {
            // It is gone; so is what we wanted to close.
        }
    }

    [[nodiscard]] DeviceState state() const override {
        DeviceState s;
        s.running = audio_.isStreamRunning() && !racing_;
        s.name = name_;
        s.backend = backend_;
        s.sampleRate = rate_;
        s.block = static_cast<int>(block_);
        s.latencyMs = 2000.0 * s.block / s.sampleRate;
        s.dropped = dropped_;
        s.load = load_.value();
        if (!s.running)
            s.problem = "The audio device stopped: plug it in again or choose another one.";
        return s;
    }

  private:
    static int fill(void* out, void*, unsigned int frames, double, RtAudioStreamStatus status,
                    void* self) {
        auto& d = *static_cast<RtAudioDevice*>(self);
        if (status != 0) ++d.dropped_;
        auto* left = static_cast<float*>(out);
        const std::chrono::duration<double> now =
            std::chrono::steady_clock::now().time_since_epoch();
        if (d.pace_.racing(static_cast<int>(frames), d.rate_, now.count())) {
            d.racing_ = true;
            std::fill_n(left, 2 * frames, 0.0F);
            return 0;
        }
        d.load_.begin();
        d.callback_(left, left + frames, static_cast<int>(frames));
        d.load_.end(static_cast<int>(frames), d.rate_);
        return 0;
    }

    AudioCallback callback_;
    LoadMeter load_;
    Pace pace_;
    std::atomic<bool> racing_{false};
    std::atomic<std::int64_t> dropped_{0};
    std::string name_, backend_;
    unsigned int block_ = 256;
    int rate_ = 48000;
    RtAudio audio_;
};

std::vector<RtAudio::Api> backends() {
    std::vector<RtAudio::Api> all;
    RtAudio::getCompiledApi(all);
    std::erase(all, RtAudio::RTAUDIO_DUMMY);
    return all;
}

}  // namespace

std::vector<DeviceInfo> listDevices() {
    std::vector<DeviceInfo> found;
    for (const RtAudio::Api api : backends()) {
        try {
            RtAudio audio(api);
            audio.showWarnings(false);
            const unsigned int preferred =
                audio.getDeviceCount() > 0 ? audio.getDefaultOutputDevice() : 0;
            for (unsigned int d = 0; d < audio.getDeviceCount(); ++d) {
                const RtAudio::DeviceInfo info = audio.getDeviceInfo(d);
                if (!info.probed || info.outputChannels < 2) continue;
                DeviceInfo device{RtAudio::getApiDisplayName(api), info.name, d == preferred, {}};
                for (const unsigned int rate : info.sampleRates)
                    device.rates.push_back(static_cast<int>(rate));
                found.push_back(std::move(device));
            }
        } catch (const RtAudioError&) {
            continue;  // a backend that is not running has no devices
        }
    }
    return found;
}

std::unique_ptr<AudioDevice> openDevice(const DeviceRequest& request, AudioCallback callback,
                                        std::string& why) {
    why.clear();
    if (request.backend != "clock") {
        for (const RtAudio::Api api : backends()) {
            if (!request.backend.empty() && RtAudio::getApiDisplayName(api) != request.backend)
                continue;
            try {
                RtAudio audio(api);
                audio.showWarnings(false);
                const unsigned int preferred =
                    audio.getDeviceCount() > 0 ? audio.getDefaultOutputDevice() : 0;
                for (unsigned int d = 0; d < audio.getDeviceCount(); ++d) {
                    const RtAudio::DeviceInfo info = audio.getDeviceInfo(d);
                    if (!info.probed || info.outputChannels < 2) continue;
                    if (request.name.empty() ? d != preferred : info.name != request.name) continue;
                    why = "The audio device cannot run at " + std::to_string(request.sampleRate) +
                          " Hz; playing on a simulated one.";
                    auto device = std::make_unique<RtAudioDevice>(api, d, request, callback);
                    why.clear();
                    return device;
                }
            } catch (const RtAudioError&) {
                continue;  // try the next backend
            }
        }
        if (why.empty()) why = "No audio device found; playing on a simulated one.";
    }
    SimulatedOptions options;
    options.sampleRate = request.sampleRate;
    options.block = request.block;
    return std::make_unique<SimulatedDevice>(options, std::move(callback));
}

}  // namespace ember
