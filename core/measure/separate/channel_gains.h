// What turning drums up and down, and shaping them, does to one channel of a kit that was taken
// apart.
#pragma once

#include "core/measure/separate/own_sound.h"

#include <vector>

namespace ember {

struct ChannelTurns {
    std::vector<double> parts;   // linear gains by the model's drums; then what belongs to none
    double floor = 0.0;          // nothing is turned down further at any moment, linear
    double soft = 0.0;           // seconds that gains are evened out over
    OwnShape shape;              // done to `own`
    std::vector<int> own, room;  // drums; channels of microphones that stand in the room
};

// Shares of all drums and of none add up to one.
BandGains bandGains(const BleedModel& model, int channel, const ChannelTurns& turns);

}  // namespace ember
