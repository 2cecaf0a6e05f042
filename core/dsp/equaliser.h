// Sixteen-band equaliser whose curve follows the analogue prototype to the top octave.
//
// Bands are cascades of sections from biquad_design.h. Any change of any control
// builds a second cascade that starts from the running one's signals, and fades to it
// along a raised cosine of about 21 ms; changes during a fade wait for its end. So
// every sound ever heard comes from stable, unmoving filters.
// A band may also move with the level in it (dynamic_band.h), and work on the left, the right, the
// middle or the sides of a stereo row; left and right come first, then middle and sides.
// No latency.
#pragma once

#include "core/dsp/cascade.h"
#include "core/dsp/dynamic_band.h"
#include "core/dsp/processor.h"
#include "core/dsp/trim.h"

#include <array>
#include <complex>
#include <string>

namespace ember {

inline constexpr int kEqBands = 16;

// One band as a value.
struct EqBand {
    bool on = false;
    EqShape shape = EqShape::bell;
    double frequency = 1000.0;  // Hz
    double gainDb = 0.0;        // bell, shelves and tilt
    double q = 0.7071;
    int order = 2;  // pass filters: slope / 6 dB per octave
    EqPart part = EqPart::both;
    bool operator==(const EqBand&) const = default;
};

// Index of a band's parameter in the table.
enum class EqField {
    on,
    shape,
    frequency,
    gain,
    q,
    slope,
    part,
    range,
    threshold,
    attack,
    release
};
inline constexpr int kEqFields = 11;
constexpr int eqIndex(int band, EqField field) {
    return band * kEqFields + static_cast<int>(field);
}

// What a band's parameters begin with: "b3".
inline std::string eqBandId(int band) {
    std::string id("b");
    id += std::to_string(band + 1);
    return id;
}

// Behind the bands: how much of all gains is heard, percent; and which band alone (0: none); and
// the gain at the end, dB.
inline constexpr int kEqAmount = kEqBands * kEqFields, kEqListen = kEqAmount + 1,
                     kEqOutput = kEqAmount + 2;

EqBand eqBand(std::span<const double> values, int band);
// Whether anything of it is not as in an untouched equaliser.
bool eqBandInUse(std::span<const double> values, int band);
// A band that is not, from the middle outwards: the outer ones start as shelves and pass filters;
// -1: all are in use.
int freeEqBand(std::span<const double> values);
// The band as it is heard: its gain scaled by the amount.
EqBand eqHeardBand(std::span<const double> values, int band);
// What a band does, in a word or two, as a person would call it: "rumble", "note 196", "ring 571",
// "boxiness", "snap", "air". `note` and `rings` in Hz, of the drum it works on; 0 and none where
// nothing was measured.
std::string eqBandLabel(const EqBand& band, double note = 0.0, std::span<const double> rings = {});
// How the band moves with its level; a range of 0 where it does not.
DynamicBandSettings eqDynamics(std::span<const double> values, int band);
// The band's prototype with the limits every use shares (shelves up to q = 2, pass filters up to q
// = 4).
AnalogueSections eqSections(const EqBand& band);
// The band's digital sections, at most four, written to `out`; returns how many (none when off).
int eqDesign(const EqBand& band, double sampleRate, Biquad* out);
// What the bands that move add to a curve: nothing, or as much as they may.
enum class EqMoved { rest, far };
// Gain in dB of all bands that are on, at `frequency` Hz, as the digital filter has it.
double eqResponseDb(std::span<const double> values, double frequency, double sampleRate);
// The same for many frequencies at the cost of one design.
std::vector<double> eqResponseDb(std::span<const double> values,
                                 std::span<const double> frequencies, double sampleRate,
                                 EqMoved moved = EqMoved::rest);

class Equaliser : public ValueProcessor<Equaliser> {
  public:
    Equaliser(const ProcessSpec& spec, std::span<const double> values);
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    void replay(const AudioBlock& io, const Processor& master) override;

  private:
    enum Lane { left, right, middle, sides };
    static constexpr std::size_t kLanes = 4;

    // A set of bands and, per lane, the filters that make them.
    struct Setting {
        std::array<EqBand, kEqBands> bands;
        std::array<std::array<int, kEqBands>, kLanes> first{}, count{};  // sections of each band
        std::array<Cascade, kLanes> cascade;
    };
    // What a band was designed to last: fitting it is dear, and a moved knob changes one band only.
    struct Design {
        EqBand band;
        std::array<Biquad, 4> sections;
        int count = -1;  // none yet
    };
    const Design& designOf(int band);
    // One band alone, for listening.
    struct Ear {
        BandGlide glide;
        StateVariable filter[2];
        Smoother share;
        EqShape shape = EqShape::bell;
    };
    [[nodiscard]] bool reaches(EqPart part, std::size_t lane) const;
    void build(Setting& setting);
    static void inherit(Setting& to, const Setting& from, std::size_t lane);
    void startFade();
    void filter(const AudioBlock& io);
    void filterLane(std::size_t lane, float* samples, int frames);
    void moveLane(std::size_t lane, float* samples, int channel, int frames);
    void follow(const AudioBlock& key);
    void aimEar();
    void listen(const AudioBlock& io, const float (&dry)[2][kBlock]);

    ProcessSpec spec_;
    std::vector<double> values_;
    Setting settings_[2];
    std::array<Design, kEqBands> designs_;
    std::array<DynamicBand, kEqBands> moving_;
    Ear ear_;
    Trim trim_;
    int current_ = 0;
    bool pending_ = false;
    int fadeAt_ = -1, fadeFrames_ = 1024;
    std::vector<float> fade_;
};

ProcessorType equaliserType();

}  // namespace ember
