// A stroke, and what a person corrected about strokes.
#pragma once

#include "core/dsp/event.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

std::string_view toString(StrokeKind kind);
// Throws Error for an unknown name.
StrokeKind strokeKindFrom(std::string_view text);

struct Stroke {
    double time = 0.0;      // seconds of song time; arrival at `mic`: first sample above 5 % of the
                            // attack's peak
    std::string drum;       // id of the drum: "kick", "floor-tom", "crash-2"
    std::string mic;        // the element in which the time was read
    double velocity = 0.0;  // 0..1; 0.9 is the drum's accents, half of it about 9 dB less
    double levelDb = 0.0;   // against the drum's accents
    StrokeKind kind = StrokeKind::normal;
    double confidence = 0.0;  // 0..1
    bool byHand = false;      // a person put or moved it here
    int articulation = 0;     // which way it is struck; 0: the usual one
    std::string extra = {};   // unknown fields of the file, kept (JSON object text)
    bool operator==(const Stroke&) const = default;
};

inline bool earlier(const Stroke& a, const Stroke& b) {
    return a.time < b.time;
}
// Strokes at the same time stay in the order they are in.
void sortByTime(std::vector<Stroke>& strokes);

// One correction: a stroke taken away (found again by drum and time) or put in. Moving a stroke, or
// changing its drum or kind, is one of each.
struct StrokeEdit {
    bool remove = false;
    Stroke stroke;
    bool operator==(const StrokeEdit&) const = default;
};

}  // namespace ember
