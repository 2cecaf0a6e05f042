// Weight: a low tone of our own under each stroke, tuned to the drum or to the song.
//
// A sine that begins with its stroke, falls from a higher note to its own (the beater that strikes
// a skin), and dies away. Its phase at any age is the integral of its frequency in closed form,
// f(t) = f0 exp(c exp(-t / tau)) with c = ln 2 * sweep / 12, so that playing may start in the
// middle of a stroke; from there on it turns by itself. Struck by strokes to the sample, or where
// the level of what it listens to rises over a threshold and has been 6 dB under its last peak
// since; then its loudness follows what that reaches within 5 ms. A stroke that comes while another
// sounds takes its place within 8 ms. What comes in goes out untouched. No latency.
#pragma once

#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

#include <array>

namespace ember {

class Weight : public ValueProcessor<Weight> {
  public:
    enum Index {
        note,
        level,
        decay,
        sweep,
        sweepTime,
        rise,
        follow,
        polarity,
        keySource,
        threshold
    };

    Weight(const ProcessSpec& spec, std::span<const double> values);
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    // The tone is the master's: a part of what comes in has none of it.
    void replay(const AudioBlock& io, const Processor& master) override;
    [[nodiscard]] bool replaysExactly() const override { return false; }
    void strike(std::span<const BlockEvent> strikes) override;
    [[nodiscard]] bool wantsStrokes() const override { return values_[keySource] >= 0.5; }

  private:
    struct Voice {
        bool sounds = false;
        double age = 0.0;                 // seconds since its stroke
        double phase = 0.0;               // turns
        double gain = 0.0, gainTo = 0.0;  // by velocity or level
        double left = 1.0;                // of its fade once another takes its place; 1: none does
        bool leaving = false;
    };
    struct Strike {
        int frame = 0;
        double age = 0.0, gain = 1.0;
        bool anew = false;
    };
    void begin(double age, double gain);
    void letGo();
    [[nodiscard]] double gainOf(double velocity) const;
    void listen(double magnitude);

    static constexpr int kVoices = 4, kStrikes = 64;
    ProcessSpec spec_;
    std::vector<double> values_;
    Smoother note_, level_, polarity_;
    std::array<Voice, kVoices> voices_;
    std::array<Strike, kStrikes> strikes_;
    int struck_ = 0, newest_ = 0;
    double envelope_ = 0.0, peak_ = 0.0, since_ = 1.0;
    bool armed_ = true;
};

// Of the tone at `seconds` after its stroke: its frequency, Hz, and its level, dB against the
// stroke's; for pictures.
double weightHertz(std::span<const double> values, double seconds);
double weightDb(std::span<const double> values, double seconds);

ProcessorType weightType();

}  // namespace ember
