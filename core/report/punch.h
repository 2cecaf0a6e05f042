// How strokes hit, over many of them.
#pragma once

#include "core/session/session.h"

#include <map>
#include <span>
#include <string>
#include <vector>

namespace ember {

// Medians over strokes (stroke_figures.h); 0 where none sounds.
struct Punch {
    double crestDb = 0.0;            // peak against the RMS of 300 ms
    double transientToBodyDb = 0.0;  // first 30 ms against the rest of 300 ms
    bool operator==(const Punch&) const = default;
};

// One or two channels of equal length; strokes at `times` seconds from their first sample. Pure.
Punch punchOf(std::span<const std::span<const float>> channels, const std::vector<double>& times,
              double sampleRate);

// When strokes that punch (accents and usual ones) sound in a row, in order: those of its drum, of
// the whole kit where it hears all, moved by its align step. `strokes` as heard; the notes of the
// pattern come to them. Pure.
std::vector<double> punchTimes(const Session& session, const std::vector<Stroke>& strokes,
                               const std::string& row);

inline constexpr double kPunchLong = 0.3;  // seconds that a stroke is looked at
// When the session's drums (ids) that lead to a bus are struck so within [from, to) seconds of song
// time, whole: seconds after `from`. Those that are struck fewer than three times are left out.
// Pure.
std::map<std::string, std::vector<double>> struckIn(const Session& session, const std::string& bus,
                                                    double from, double to);

}  // namespace ember
