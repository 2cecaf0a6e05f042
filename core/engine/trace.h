// What every stage of a row did over the whole song, for pictures and judgement.
#pragma once

#include "core/engine/plan.h"
#include "core/measure/level/loudness.h"
#include "core/measure/sound/spectrum.h"

#include <map>
#include <string>
#include <vector>

namespace ember {

// One value per block of kBlock frames.
struct StageTrace {
    std::vector<float> inputPeak;   // linear
    std::vector<float> keyPeak;     // linear; what the detector heard
    std::vector<float> gainDb;      // smallest gain in the block, dB
    std::vector<float> outputPeak;  // linear
    Spectrum before, after;         // of what repairs and colours
};

struct RowTrace {
    int blocks = 0;
    std::vector<StageTrace> stages;  // by place in the chain
    Loudness output;  // after the seat; in full for main, else integrated and sample peak
};

// Runs the rows named (and what feeds them) and keeps what their stages did, over the whole song or
// its first `seconds` (where they are more than 0).
// Throws Cancelled when progress says so. Any thread.
std::map<std::string, RowTrace> trace(const Session& session, AudioStore& store,
                                      const std::vector<std::string>& rows,
                                      const Progress& progress = {}, double seconds = 0.0);

// Loudness of a row's chain with some stages (stageBit(); none: all of them between align and seat)
// on and off over [from, to) seconds: the gain in dB that makes "off" as loud as "on".
double matchGainDb(const Session& session, AudioStore& store, const std::string& row,
                   std::uint64_t stages, double from, double to, const Progress& progress = {});
// The same for the whole mix with everything off.
double matchMixGainDb(const Session& session, AudioStore& store, double from, double to,
                      const Progress& progress = {});
// The gain in dB that makes one mix as loud as another over [from, to) seconds, at a row that both
// have (empty: at the main); 0 where one of them is silent there.
double mixGainDb(const Session& mix, const Session& other, AudioStore& store,
                 const std::string& row, double from, double to, const Progress& progress = {});
// The gain in dB that makes a reference as loud as the whole mix over [from, to) seconds; 0 where
// one of them is silent there.
double referenceGainDb(const Session& session, AudioStore& store, const std::string& row,
                       double from, double to, const Progress& progress = {});

}  // namespace ember
