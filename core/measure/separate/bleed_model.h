// How loud every drum is in every microphone, moment by moment and band by band: what takes a
// recording apart into its drums.
//
// The power in a microphone's band is explained as a sum over drums (interference reduction by
// power spectra: Kokkinis, Reiss & Mourjopoulos, IEEE TASLP 20(3), 2012; Prätzlich, Bittner,
// Liutkus & Müller, ICASSP 2015), each of which is
//   - a picture of one of its strokes in that microphone, laid at every stroke with the stroke's
//     own level in each band (non-negative deconvolution: Smaragdis, ICA 2004), since the strokes
//     are known, and one drum sounds otherwise in each of its microphones, at first and later on;
//   - moved up and down from moment to moment by one factor for all microphones;
//   - and what it sounds beside its strokes, with its usual balance between the microphones:
//   strokes
//     that nobody found, tails, what hums along.
// Both are fitted by multiplicative updates of the Itakura-Saito divergence (Févotte, Bertin &
// Durrieu, Neural Computation 21(3), 2009) under priors that keep a stroke near its velocity.
#pragma once

#include "core/base/progress.h"
#include "core/dsp/band_gains.h"
#include "core/measure/kit/kit_mics.h"
#include "core/session/stroke.h"

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

// Powers as logarithms: 512 steps to the octave.
using LogPower = std::uint16_t;
LogPower logPower(float power);
float fromLogPower(LogPower log);

struct BleedModel {
    struct Channel {
        std::string row;
        int channel = 0;
        bool operator==(const Channel&) const = default;
    };
    struct Hit {
        int drum = 0;
        std::int64_t window = 0;  // the last that ends before the stroke
        bool operator==(const Hit&) const = default;
    };
    double sampleRate = 48000.0;
    BandGrid grid;
    std::vector<std::string> drums;  // ids
    std::vector<Channel> channels;   // of the microphones
    int length = 0;                  // windows in a picture
    std::vector<Hit> hits;
    // All by band last. pictures: [drum][channel][length]; levels: [hit]; balance and noise:
    // [drum][channel] and [channel]; moved and beside: [drum][window].
    std::vector<LogPower> pictures, levels, balance, noise, moved, beside;
    // May be unknown: what powers were multiplied by, by channel; the frame of the song of each
    // hit; and how many frames later a drum is heard in a channel ([drum][channel]), kNeverHeard
    // where that is not told.
    std::vector<float> scales;
    std::vector<std::int64_t> struck;
    std::vector<std::int16_t> arrivals;
    static constexpr std::int16_t kNeverHeard = INT16_MIN;

    [[nodiscard]] int channelOf(std::string_view row, int channel) const;  // -1: not in it
    [[nodiscard]] int drumOf(std::string_view id) const;                   // -1: not in it
    bool operator==(const BleedModel&) const = default;
};

// Takes a kit apart by its strokes; drums that were never struck are left out. Deterministic,
// whatever the number of cores; throws Cancelled.
BleedModel measureBleedModel(const KitMics& kit, const std::vector<Stroke>& strokes,
                             const Progress& progress = {});

// Bytes for the cache and beside a session, and back; reading throws Error where they are damaged.
std::string toBytes(const BleedModel& model);
BleedModel bleedModelFrom(std::string_view bytes);

}  // namespace ember
