// A kit as intake and measurement leave it.
#pragma once

#include "core/measure/kit/kit_measure.h"
#include "demo/kit.h"
#include "tests/support/support.h"

namespace ember::test {

struct MeasuredKit {
    TempFolder folder;
    Session session;
    KitMeasurement kit;

    explicit MeasuredKit(const demo::KitOptions& options, const demo::Sound& sound = {});
};

// Forty seconds of the demo kit, made once a run.
const MeasuredKit& measuredKit();

}  // namespace ember::test
