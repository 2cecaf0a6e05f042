// How much room equalisers cleared in the low mids of the whole kit.
#pragma once

#include "core/engine/trace.h"
#include "core/session/session.h"

#include <functional>
#include <string>

namespace ember {

inline constexpr double kLowMidsFrom = 200.0, kLowMidsTo = 500.0;  // Hz

struct LowMids {
    double byAllDb = 0.0;  // what all equalisers together did to the kit's power there
    double byRowDb = 0.0;  // what those of one row did to it
};

// An estimate by power: every element that is not muted counts with what it brings into its first
// equaliser, what its equalisers change of that, and its fader. Other steps, and how microphones
// add up or cancel, are not in it; an element whose trace is not known yet does not count. Pure.
LowMids lowMids(const Session& session, const std::string& row,
                const std::function<const RowTrace*(const std::string& row)>& traceOf);

}  // namespace ember
