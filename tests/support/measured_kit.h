// Forty seconds of the demo kit as intake and measurement leave it.
#pragma once

#include "core/measure/kit_measure.h"
#include "tests/support/support.h"

namespace ember::test {

struct MeasuredKit {
    TempFolder folder;
    Session session;
    KitMeasurement kit;

    MeasuredKit();
};

// Made once a run.
const MeasuredKit& measuredKit();

}  // namespace ember::test
