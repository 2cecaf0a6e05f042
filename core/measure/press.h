// What a compressor did to the strokes that went through it: to their punch and to their pattern.
#pragma once

#include <span>
#include <string>

namespace ember {

struct Press {
    int strokes = 0;
    double punchBefore = 0.0,
           punchAfter = 0.0;  // first 30 ms against the rest of 300 ms, dB, median
    double spreadBefore = 0.0, spreadAfter = 0.0;  // standard deviation of the strokes' peaks, dB
};

// From peaks by block (linear, as in StageTrace) and the strokes' times in seconds. A stroke whose
// 300 ms reach into the next one counts as far as that. Pure.
Press measurePress(std::span<const float> before, std::span<const float> after,
                   double secondsPerBlock, std::span<const double> times);

// A plain warning with figures where punch fell by 3 dB or more, or the pattern of loud and soft
// was flattened to 60 % or less; empty where neither did, or fewer than six strokes tell.
std::string pressWarning(const Press& press);

}  // namespace ember
