#include "tests/support/measured_kit.h"

#include "core/advise/intake.h"

namespace ember::test {

MeasuredKit::MeasuredKit() {
    demo::KitOptions options;
    options.seconds = 40.0;
    options.guests = false;
    demo::writeRecording(demo::record(options), folder / "kit");
    session = sessionFrom(takeIn({folder / "kit"}, sharedStore(), 104.0), sharedStore());
    kit = measureKit(session, sharedStore());
}

const MeasuredKit& measuredKit() {
    static const MeasuredKit measured;
    return measured;
}

}  // namespace ember::test
