// The two worlds we learn from and are judged in: kits we simulate and drums that were recorded.
#pragma once

#include "tests/support/kit_truth.h"
#include "tests/support/recorded_kit.h"

#include <memory>
#include <string>

namespace ember::test {

enum class World { simulated, recorded };
const char* nameOf(World world);

// Kit `number` of a world and half. Simulated kits for fitting have seeds from 1000 on, those for
// judging from 300 on.
std::unique_ptr<TruthKit> worldKit(World world, Half half, int number, demo::MicSet mics,
                                   double seconds = 50.0);
// One of them, simulated, of 20 s, made once.
const TruthKit& playedKit();
// The same, with what is known of the kit beside its strokes.
struct WorldKit {
    std::unique_ptr<TruthKit> truth;
    std::vector<KnownRing> rings;
    std::vector<DrumTruth> tone;  // by demo::Drum
};
WorldKit worldKitWithTone(World world, Half half, int number, demo::MicSet mics,
                          double seconds = 50.0);

}  // namespace ember::test
