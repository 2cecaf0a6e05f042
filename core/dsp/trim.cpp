#include "core/dsp/trim.h"

namespace ember {

// Apart from the processors, whose loops stay as tight as they were.
void Trim::apply(const AudioBlock& io) {
    if (!gain_.moving() && gain_.value() == 1.0) return;
    for (int i = 0; i < io.frames; ++i) {
        const auto gain = static_cast<float>(gain_.next());
        for (int c = 0; c < io.channels; ++c) io.channel[c][i] *= gain;
    }
}

Parameter trimParameter() {
    return {"output",
            "Output",
            Unit::dB,
            -24.0,
            24.0,
            0.0,
            Scale::linear,
            "Gain at the end, to leave the loudness that came in: louder always seems better.",
            {}};
}

}  // namespace ember
