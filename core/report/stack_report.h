// What the layers of a stack do for each other and for the mix.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/measure/sound/spectrum.h"
#include "core/report/ear_bands.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

struct Contribution {
    std::string layer;  // id
    // What the layer gives each of earBands() over the first 50 ms of its strokes, in the mix, at
    // the loudness of the mix without it, dB; 0 in bands that lie 50 dB below the loudest.
    std::vector<double> bandsDb;
    bool missed = false;  // whether any band changes by 1 dB
    int strokes = 0;      // that were looked at
};
// Mutes each layer of a row in turn in the whole mix. Layers that are off, or that no stroke
// starts, are not missed. Throws Error for rows without layers, Cancelled.
std::vector<Contribution> layerContributions(const Session& session, AudioStore& store,
                                             const std::string& row, const Progress& progress = {});

// The level from which on a layer would be missed.
struct QuietLevel {
    double levelDb = 0.0;   // of the layer
    double changeDb = 0.0;  // what the band that changes most gains by it there
    bool reached = false;   // false: not even as loud as layers go
};
// Changes below it nobody is said to miss.
inline constexpr double kMissedDb = 1.0;
// The lowest level, to a quarter of a decibel, at which a layer is missed by the figure of
// layerContributions(): in the whole mix, or (`alone`) among the row's own layers. Throws Error for
// rows without layers, unknown layers and ones that are off or that no stroke starts; Cancelled.
QuietLevel quietLevel(const Session& session, AudioStore& store, const std::string& row,
                      const std::string& layer, bool alone, const Progress& progress = {});

// How two layers add up: level of their sum against the sum of their powers, dB. 3: they agree
// wholly, 0: they have nothing to do with each other, far below: they cancel.
struct Agreement {
    std::string first, second;  // ids
    double lowDb = 0.0;         // below 150 Hz
    double attackDb = 0.0;      // the first 20 ms above 1.5 kHz
    double wholeDb = 0.0;
};
// Every pair of layers that are on and that one stroke starts together, as they are placed and as
// loud as they are, before the row's chain. Throws Error for rows without layers.
std::vector<Agreement> layerAgreements(const Session& session, AudioStore& store,
                                       const std::string& row);

// A stack as it is drawn: every layer that is on as one stroke starts it, and their sum, before the
// row's chain, sides mixed.
struct StackPicture {
    struct Wave {
        std::string layer;           // id; empty: the sum
        std::vector<float> samples;  // from fromMs on
        Spectrum spectrum;           // of its first 0.3 s, dB
    };
    double sampleRate = 48000.0;
    double fromMs = -200.0;  // against the stroke
    std::vector<Wave> layers;
    Wave sum;
    std::vector<Agreement> agreements;
    std::vector<std::string> problems;  // sounds that cannot be opened, a sentence each
};
// Any thread. Throws Error for rows without layers.
StackPicture stackPicture(const Session& session, AudioStore& store, const std::string& row);

// What a layer would have to change to lie best on the row's leading layer (its loudest body, or
// its first).
struct LayerMove {
    std::string layer, leader;
    double offsetMs = 0.0;  // the new offset
    bool flip = false;      // the new polarity
    bool related = false;
    double confidence = 0.0;
    double gainDb = 0.0;  // what the sum of the two gains
};
std::vector<LayerMove> layerMoves(const Session& session, AudioStore& store,
                                  const std::string& row);
// The session with the moves of related layers made. Pure.
Session withLayerMoves(Session session, const std::string& row,
                       const std::vector<LayerMove>& moves);

}  // namespace ember
