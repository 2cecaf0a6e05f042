#include "tests/support/sound_set.h"

#include <fluidsynth.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <mutex>
#include <stdexcept>

namespace ember::test {
namespace {

struct Closer {
    void operator()(fluid_settings_t* s) const { delete_fluid_settings(s); }
    void operator()(fluid_synth_t* s) const { delete_fluid_synth(s); }
};

// One set; only the samples that are asked for come into memory. Made anew for every note: a used
// voice sounds a little otherwise than a new one, and a kit must be the same whatever was rendered
// before it.
class SoundSet {
  public:
    SoundSet(const char* file, double rate) : settings_(new_fluid_settings()) {
        fluid_settings_setnum(settings_.get(), "synth.sample-rate", rate);
        fluid_settings_setnum(settings_.get(), "synth.gain", 0.6);
        fluid_settings_setint(settings_.get(), "synth.reverb.active", 0);
        fluid_settings_setint(settings_.get(), "synth.chorus.active", 0);
        fluid_settings_setint(settings_.get(), "synth.dynamic-sample-loading", 1);
        synth_.reset(new_fluid_synth(settings_.get()));
        font_ = fluid_synth_sfload(synth_.get(), file, 1);
        if (font_ == FLUID_FAILED) throw std::runtime_error("the sound set cannot be read");
        fluid_synth_set_interp_method(synth_.get(), -1, FLUID_INTERP_7THORDER);
    }
    fluid_synth_t* with(int program) {
        fluid_synth_program_select(synth_.get(), 9, font_, 128, program);
        return synth_.get();
    }

  private:
    std::unique_ptr<fluid_settings_t, Closer> settings_;
    std::unique_ptr<fluid_synth_t, Closer> synth_;
    int font_ = 0;
};

}  // namespace

OneShot renderShot(const SetNote& note, int velocity, double rate, double seconds) {
    static std::mutex one;
    const std::lock_guard lock(one);
    SoundSet set(note.large ? kLargeSet : kSmallSet, rate);
    fluid_synth_t* synth = set.with(note.program);
    fluid_synth_noteon(synth, 9, note.key, velocity);
    const auto frames = static_cast<std::size_t>(seconds * rate);
    std::vector<float> left(frames), right(frames);
    fluid_synth_write_float(synth, static_cast<int>(frames), left.data(), 0, 1, right.data(), 0, 1);
    const auto energy = [](const std::vector<float>& x) {
        double sum = 0.0;
        for (const float v : x) sum += static_cast<double>(v * v);
        return sum;
    };
    OneShot& x = energy(left) >= energy(right) ? left : right;
    float peak = 0.0F;
    for (std::size_t i = 0; i < frames && i < static_cast<std::size_t>(0.2 * rate); ++i)
        peak = std::max(peak, std::abs(x[i]));
    if (peak <= 0.0F) throw std::runtime_error("a sound of the set is silent");
    const auto first =
        std::find_if(x.begin(), x.end(), [&](float v) { return std::abs(v) > 0.05F * peak; });
    OneShot out(first, x.end());
    for (float& v : out) v /= peak;
    return out;
}

}  // namespace ember::test
