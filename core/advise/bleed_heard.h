// A kit's microphones taken apart, over its fullest stretch: what advice on bleed is read from, and
// proved by.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace ember {

// What every drum gives every microphone, as the engine plays it behind align and bleed, at its
// fader, without a bleed step's floor and softness; everything else is off. Left and right are
// added: what does not hold in mono is no gain.
struct BleedHeard {
    struct Mic {
        std::string row;
        std::vector<std::vector<float>> parts;  // by drum, then what belongs to none
    };
    double sampleRate = 48000.0;
    std::string model;               // hash of what they were told apart by
    std::vector<std::string> drums;  // ids
    std::vector<Mic> mics;           // in the session's order; muted rows are silent
    std::vector<Stroke> strokes;     // within; times from the stretch's beginning
};

enum class PartsAs { recorded, turned };  // every drum at 0 dB; or at what it is turned to

// Over the stretch of hearBuses(). `model`: of takeApart() or the session's own; `strokes` as
// heard. Any thread; throws Error (the model is not there, too) or Cancelled.
BleedHeard hearBleed(const Session& session, AudioStore& store, const std::vector<Stroke>& strokes,
                     const std::string& model, PartsAs as, const Progress& progress = {});

// What the drums are turned to, linear: by microphone of a BleedHeard, then by part.
using PartGains = std::vector<std::vector<double>>;
// As the session has it; 1 for parts that were heard as they are turned.
PartGains gainsOf(const Session& session, const BleedHeard& heard);
PartGains unturned(const BleedHeard& heard);

// A microphone's bleed in figures, dB; none where the stretch does not tell.
struct BleedFigures {
    std::optional<double> between;  // what sounds between its strokes, against them
    // Others in the first 100 ms of its strokes, against them, with what the drum itself loses when
    // they are taken: on recorded kits all of it takes them down by 4 dB at the median, whatever
    // the model says.
    std::optional<double> under;
    std::optional<double> standOut;  // its quiet strokes against the 50 ms before them, median
    std::optional<double> cover;  // what is left of others between its strokes, against the other
                                  // microphones in the octave where it stands out most
};
// Pure, as everything below. `drum`: the microphone's own. `recorded`: gains by which all are as
// recorded, which cover what is left here. `taken`: how much is taken of the drum that is turned
// down most, 0..1.
BleedFigures bleedFigures(const BleedHeard& heard, const PartGains& gains, std::size_t mic,
                          const std::string& drum, const PartGains& recorded, double taken);
// That, for gains against those that the parts were recorded with.
double mostTaken(const std::vector<double>& gains);
// How loud each drum is in the first 100 ms of its own strokes in a microphone; -150 for silence
// and for drums that are not struck in the stretch.
std::vector<double> drumsIn(const BleedHeard& heard, std::size_t mic);
// A drum against everything else in a microphone, over the whole stretch.
double partAgainstRest(const BleedHeard& heard, const PartGains& gains, std::size_t mic,
                       std::size_t part);
// Loudness of hi-hat and cymbals through all microphones, LUFS.
double cymbalLoudness(const BleedHeard& heard, const PartGains& gains);

// A drum as all microphones give it together, dBFS over the whole stretch; -150 for silence.
double drumLevel(const BleedHeard& heard, const PartGains& gains, std::size_t part);
// The same for every drum and many gains: what takes long is done once.
class DrumSums {
  public:
    explicit DrumSums(const BleedHeard& heard);
    // dBFS over the whole stretch; -150 for silence.
    [[nodiscard]] double level(const PartGains& gains, std::size_t part) const;

  private:
    // Of each part: products of every two microphones' samples, added up.
    std::vector<std::vector<std::vector<double>>> products_;
};

}  // namespace ember
