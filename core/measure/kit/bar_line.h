// Where "one" is: the sixteenth of the bar on which kicks and crashes fall and from which snares
// keep away.
#pragma once

#include "core/session/stroke.h"

#include <functional>
#include <vector>

namespace ember {

struct BarLine {
    int sixteenth = 0;        // 0 to perBar - 1, of the counted sixteenths
    double confidence = 0.0;  // 0..1, how far it stands above the next best
};

// `count` gives a stroke's sixteenth, any origin; `perBar` sixteenths make a bar, `perBeat` a beat,
// both at least 1. Ghost notes and grace notes have no say. Pure.
BarLine findBarLine(const std::vector<Stroke>& strokes,
                    const std::function<long(const Stroke&)>& count, int perBar, int perBeat);

}  // namespace ember
