// Notices a device that asks for sound much faster than time passes. A sound server that died may
// leave its client's thread running without a brake: the song would race on unheard.
#pragma once

namespace ember {

// One thread. Real-time safe.
class Pace {
  public:
    // After `frames` more were asked for at `now` (seconds, any origin): whether it races, and so
    // for good. A buffer that fills at the start, or after a pause, is no race.
    bool racing(int frames, int sampleRate, double now) {
        if (begun_ < 0.0 || now < begun_) begun_ = now;
        asked_ += static_cast<double>(frames) / sampleRate;
        if (asked_ > kBuffer + kFastest * (now - begun_)) racing_ = true;
        if (now - begun_ > kWindow) {
            begun_ = now;
            asked_ = 0.0;
        }
        return racing_;
    }

  private:
    static constexpr double kBuffer = 3.0;   // seconds of sound that may be wanted at once
    static constexpr double kFastest = 3.0;  // times as fast as time
    static constexpr double kWindow = 2.0;   // seconds over which it is looked at
    double begun_ = -1.0, asked_ = 0.0;
    bool racing_ = false;
};

}  // namespace ember
