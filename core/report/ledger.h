// The transient ledger: what every stage between the recording and the main did to a row's punch;
// and the order test: two neighbours in a chain the other way round.
#pragma once

#include "core/base/units.h"
#include "core/measure/kit/kit_measure.h"
#include "core/session/session.h"

#include <optional>
#include <string>
#include <vector>

namespace ember {

// Harmonics this far under the note cannot be told from what rattles along: none.
inline constexpr double kNoHarmonicsDb = -60.0;

struct LedgerLine {
    std::string row, stage;          // where in the way to the main; stage empty: as recorded
    std::string label;               // "Snare Top · Compressor"
    double peakDb = kSilenceDb;      // dBFS
    double loudness = kSilenceDb;    // LUFS
    double crestDb = 0.0;            // median over strokes: peak against the RMS of 300 ms
    double transientToBodyDb = 0.0;  // median over strokes: first 30 ms against the rest of 300 ms
    // Power at two to five times the drum's note, as far as it stands over what lies around,
    // against that at the note, kNoHarmonicsDb at least; nothing for what has no note.
    std::optional<double> harmonicsDb;
    double matchedPeakDb = kSilenceDb;  // peak if it were as loud as recorded, dBFS
    // What is lost where both sides are played by one speaker: 0 for equal sides, 3 for sides that
    // know nothing of each other or for one that is silent, more where they are against each other.
    double monoLossDb = 0.0;
    bool operator==(const LedgerLine&) const = default;
};

struct Ledger {
    std::vector<LedgerLine> lines;  // in the order of the signal's way
    double note = 0.0;              // Hz, of the strokes as recorded; 0: this row has none
    double flatTops = 0.0;  // share of its strokes that were cut off at the top before, 0..1
    int worst = -1;         // place of the stage that takes most punch; -1: none takes 0.5 dB
    int widest = -1;        // place of the stage that costs most in mono; -1: none costs 0.5 dB
};

// The row alone, through its chain, its buses and the main; stages that are off are left out.
// Strokes are those of the row's drum, of the whole kit where it hears all. Any thread; throws
// Error or Cancelled.
Ledger transientLedger(const Session& session, const KitStrokes& strokes, AudioStore& store,
                       const std::string& row, const Progress& progress = {});

// What the stages cost in mono, and which most.
std::string monoText(const Ledger& ledger);

// How much colour (harmonics, flattening) the recording already carried, and what the chain has
// added so far.
std::string colourText(const Ledger& ledger);

struct OrderTest {
    std::string first, second;  // labels, as the chain has them now
    double matchGainDb = 0.0;   // gain that makes the swapped order as loud
    LedgerLine now, swapped;    // after both, `swapped` at matched loudness
    double differenceDb =
        kSilenceDb;  // RMS of the difference at matched loudness, against the signal
    std::vector<std::string> sentences;
};

// Swaps `stage` with the stage after it. Throws Error when there is none to swap with.
OrderTest testOrder(const Session& session, const KitStrokes& strokes, AudioStore& store,
                    const std::string& row, const std::string& stage,
                    const Progress& progress = {});

}  // namespace ember
