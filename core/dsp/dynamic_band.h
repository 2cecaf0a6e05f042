// A band of the equaliser that moves with the level in it.
//
// A bell or shelf of a state-variable filter (Zavalishin, "The Art of VA Filter Design", 2nd ed.
// 2018, ch. 4) whose gain may change with every sample. At a gain of one it is not there: the
// output is the input, bit for bit. Level and gain are followed as in compressor.h (Giannoulis,
// Massberg & Reiss, JAES 60(6), 2012, eq. 17). No latency; everything is real-time safe.
#pragma once

#include "core/dsp/biquad_design.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

namespace ember {

// What of a stereo row a band works on; a mono row has no such choice.
enum class EqPart { both, left, right, middle, sides };

struct DynamicBandSettings {
    EqShape shape = EqShape::bell;  // bell, low or high shelf; anything else stays idle
    double frequency = 1000.0;      // Hz
    double q = 0.7071;              // of a bell; shelves are as steep as two poles without a hump
    double rangeDb = 0.0;           // how far the gain may move, up or down; 0: idle
    double thresholdDb = -30.0;     // for the level in the band
    double attackMs = 5.0, releaseMs = 80.0;
    EqPart part = EqPart::both;
};

// Gain in dB for a level in the band: half a dB for every dB over the threshold, up to the range.
double dynamicBandGain(double levelDb, double thresholdDb, double rangeDb);

// Gain in dB at `frequency` Hz once the band stands at `gainDb`, as the digital filter has it.
double dynamicBandResponse(const DynamicBandSettings& settings, double gainDb, double frequency,
                           double sampleRate);

// Frequency and damping of a filter, gliding; one value per frame of a block.
class BandGlide {
  public:
    void prepare(double sampleRate);
    // q > 0. The first call after prepare counts at once.
    void aim(double frequency, double q);
    void arrive();
    void advance(int frames);

    // tan(pi f / rate) and 1 / q, frame by frame, valid after advance().
    double g[kBlock] = {}, k[kBlock] = {};

  private:
    double rate_ = 48000.0;
    Smoother logFrequency_, logDamping_;
    bool fresh_ = true;
};

// Two integrators: all outputs of a second-order filter at once.
struct StateVariable {
    struct Outputs {
        double low, band, high;
    };
    double first = 0.0, second = 0.0;
    Outputs next(double x, double g, double k) {
        const double high = (x - (k + g) * first - second) / (1.0 + g * (k + g)),
                     band = g * high + first, low = g * band + second;
        first = g * high + band;
        second = g * band + low;
        return {low, band, high};
    }
};

class DynamicBand {
  public:
    void prepare(double sampleRate);
    void set(const DynamicBandSettings& settings);
    void reset();
    // True when it does nothing and will not in the next block.
    [[nodiscard]] bool idle() const {
        return gain_ == 0.0 && !range_.moving() && range_.value() == 0.0;
    }
    // Moves the gain by the key; call once a block, before apply().
    void follow(const float* const* key, int channels, int frames);
    // Takes over what another band, with the same settings, did in its last block.
    void copy(const DynamicBand& master, int frames);
    // Filters one channel (0 or 1) in place.
    void apply(float* samples, int channel, int frames);
    [[nodiscard]] double gainDb() const { return gain_; }
    // The part it works on now: a change of part or shape waits until the gain is home.
    [[nodiscard]] EqPart part() const { return part_; }

  private:
    [[nodiscard]] bool changing() const {
        return shape_ != settings_.shape || part_ != settings_.part;
    }
    void change();
    [[nodiscard]] double level(const float* const* key, int channels, int frame);

    double rate_ = 48000.0;
    DynamicBandSettings settings_;
    EqShape shape_ = EqShape::bell;  // what sounds
    EqPart part_ = EqPart::both;
    BandGlide glide_;
    Smoother range_, threshold_;
    StateVariable sound_[2], ear_[2];
    double peak_ = 0.0, gain_ = 0.0;  // linear; dB
    int held_ = 0;                    // frames
    float gains_[kBlock] = {};        // linear
    bool active_ = false;
};

}  // namespace ember
