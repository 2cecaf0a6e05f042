// A simulated recording as the measurements see it, with what is true of it.
#pragma once

#include "core/measure/kit/kit_mics.h"
#include "core/session/stroke.h"
#include "demo/kit.h"

#include <array>
#include <string>
#include <vector>

namespace ember::test {

// A kit drawn at random: tuning, damping, microphones up to 30 % away from the demo kit's, tempo 70
// to 190, room, noise and rate by seed.
demo::KitOptions variedKit(int seed, demo::MicSet mics, double seconds = 50.0);

// What the measurements call the simulated drums, by demo::Drum, where they have microphones.
inline constexpr std::array<const char*, demo::kDrums> kDrumIds{
    "kick", "snare", "hihat", "rack-tom", "floor-tom", "ride", "crash"};

class TruthKit {
  public:
    explicit TruthKit(const demo::KitOptions& options, const demo::Sound& sound = {});

    [[nodiscard]] const KitMics& kit() const { return kit_; }
    [[nodiscard]] const demo::Recording& recording() const { return recording_; }
    // The id that the measurements have for what was struck: "tom" and "cymbal" where what was
    // struck has no microphone of its own.
    [[nodiscard]] std::string drumOf(const demo::Stroke& stroke) const;
    // All that was struck, as the measurements would find it at best.
    [[nodiscard]] std::vector<Stroke> strokes() const;
    // Seconds from a stroke to its arrival in an element.
    [[nodiscard]] double delay(const demo::Stroke& stroke, const std::string& mic) const;
    // Whether the drum was struck so that an event at `seconds` can be it.
    [[nodiscard]] bool struckNear(const KitDrum& drum, double seconds) const;

  private:
    demo::Recording recording_;
    KitMics kit_;
    std::vector<std::vector<int>> tracks_;  // by microphone of kit_: places in recording_.mics
};

}  // namespace ember::test
