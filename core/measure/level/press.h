// What a compressor did to the strokes that went through it: to their punch and to their pattern.
#pragma once

#include "core/base/units.h"

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

// Where strokes stand on their way in, for a threshold to be put against: peaks of the first 30 ms
// and the body from 40 to 120 ms, dBFS, medians; -150 where no stroke tells. Pure.
struct StrokeLines {
    double peakDb = kSilenceDb, bodyDb = kSilenceDb;
};
StrokeLines strokeLines(std::span<const float> before, double secondsPerBlock,
                        std::span<const double> times);

// What one or several compressors in series do together: the deepest reduction, its mean while more
// than 1 dB is taken, and the share of the time in which that is so. Gains in dB by block, of equal
// length. Pure.
struct Reduction {
    double deepestDb = 0.0, meanDb = 0.0, share = 0.0;
};
Reduction reductionOf(std::span<const std::span<const float>> gains);

// "light" up to 3 dB of mean reduction, "medium" up to 6, "heavy" beyond; "limiting" from a ratio
// of 10 on.
std::string pressWord(double ratio, double meanDb);

// A plain warning with figures where punch fell by 3 dB or more, or the pattern of loud and soft
// was flattened to 60 % or less; empty where neither did, or fewer than six strokes tell.
std::string pressWarning(const Press& press);

}  // namespace ember
