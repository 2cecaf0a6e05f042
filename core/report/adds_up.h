// How a row's sound adds up with what it stands beside: whether a parallel, a print or a microphone
// gives the sum or takes from it.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <span>
#include <string>
#include <vector>

namespace ember {

struct AddedBand {
    double low = 0.0, high = 0.0;  // Hz
    double aloneDb = 0.0;          // the row's power against that of all else
    // Power of the sum against the sum of both powers, dB. 3: they agree wholly, 0: they have
    // nothing to do with each other, far below: they cancel. 0 too where either is 40 dB below the
    // other, or silent.
    double sumDb = 0.0;
    double flippedDb = 0.0;  // the same with the row turned over
};

struct AddsUp {
    std::string into;                        // id of what the row feeds
    std::vector<AddedBand> bands;            // octaves from 31 Hz to 16 kHz
    double sumDb = 0.0, flippedDb = 0.0;     // over all bands
    double lowDb = 0.0, lowFlippedDb = 0.0;  // below 177 Hz
};

// Power of a sum (or a difference) against both powers, dB, as in AddedBand. Pure.
double addedDb(double one, double other, double sum);

// One sound against all else, as long as each other, at a rate in Hz; `into` stays empty. Pure.
AddsUp addUp(std::span<const float> own, std::span<const float> rest, double rate);

// The row at its fader against all else that feeds the same bus, sides mixed, over [from, to)
// seconds of song time; `to` < 0: to the end, a minute at most. Any thread; throws Error for rows
// that feed nothing, or that nothing else stands beside, and Cancelled.
AddsUp addsUp(const Session& session, AudioStore& store, const std::string& row, double from,
              double to, const Progress& progress = {});
// In a sentence.
std::string addsUpText(const Session& session, const std::string& row, const AddsUp& found);

}  // namespace ember
