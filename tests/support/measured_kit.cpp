#include "tests/support/measured_kit.h"

#include "core/advise/intake.h"

namespace ember::test {

MeasuredKit::MeasuredKit(const demo::KitOptions& options, const demo::Sound& sound) {
    demo::writeRecording(demo::record(options, sound), folder / "kit");
    session = sessionFrom(takeIn({folder / "kit"}, sharedStore(), options.tempo), sharedStore());
    kit = measureKit(session, sharedStore());
}

const MeasuredKit& measuredKit() {
    static const MeasuredKit measured([] {
        demo::KitOptions options;
        options.seconds = 40.0;
        options.guests = false;
        return options;
    }());
    return measured;
}

}  // namespace ember::test
