#include "tests/support/worlds.h"

#include "tests/support/accuracy.h"

namespace ember::test {

const char* nameOf(World world) {
    return world == World::simulated ? "simulated" : "recorded";
}

WorldKit worldKitWithTone(World world, Half half, int number, demo::MicSet mics, double seconds) {
    WorldKit out;
    if (world == World::recorded) {
        // The tests take the set that every machine has; ./run accuracy and fitting the large one.
        const bool large = half == Half::fitted || allKits();
        const RecordedKit kit =
            recordedKit(half, number, mics, seconds, !(large && haveLargeSet()));
        out.truth = std::make_unique<TruthKit>(kit.options, kit.sound);
        out.rings = kit.rings;
        out.tone = kit.truth;
        return out;
    }
    const demo::KitOptions options =
        variedKit((half == Half::fitted ? 1000 : 300) + number, mics, seconds);
    out.truth = std::make_unique<TruthKit>(options);
    const demo::Kit& k = out.truth->recording().kit;
    out.rings = {{demo::Drum::snare, k.snareRingHz, k.snareRingT60, 0.0, 1.0}};
    out.tone = {{k.kickHz, k.kickT60, {}},
                {k.snareHz, k.snareT60, {}},
                {},
                {k.rackHz, k.rackT60, {}},
                {k.floorHz, k.floorT60, {}},
                {},
                {}};
    return out;
}

std::unique_ptr<TruthKit> worldKit(World world, Half half, int number, demo::MicSet mics,
                                   double seconds) {
    return worldKitWithTone(world, half, number, mics, seconds).truth;
}

const TruthKit& playedKit() {
    static const auto kit = worldKit(World::simulated, Half::fitted, 3, demo::MicSet::full, 20.0);
    return *kit;
}

}  // namespace ember::test
