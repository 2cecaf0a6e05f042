// What every processor is to the engine.
//
// Processors work in place on blocks of at most kBlock frames. prepare-time work
// happens in the factory; process(), setValue() and reset() are real-time safe:
// no allocation, lock or system call. One instance belongs to one thread at a time.
#pragma once

#include "core/dsp/event.h"
#include "core/dsp/parameter.h"

#include <memory>
#include <span>
#include <string>
#include <vector>

namespace ember {

// Frames in an internal block. The grid of blocks is anchored to song zero, so a
// result does not depend on how a caller cuts time.
inline constexpr int kBlock = 64;

struct ProcessSpec {
    double sampleRate = 48000.0;
    int channels = 1;  // 1 or 2
};

// One or two channels of `frames` samples.
struct AudioBlock {
    float* channel[2] = {nullptr, nullptr};
    int channels = 1;
    int frames = kBlock;
};

// What a processor did in its last block, for meters and pictures.
struct Reading {
    float keyPeak = 0.0F;  // largest magnitude of the detector's signal, linear
    float gainDb = 0.0F;   // smallest gain applied, dB (0 = untouched)
};

class Processor {
  public:
    Processor() = default;
    virtual ~Processor() = default;
    Processor(const Processor&) = delete;

    // Frames by which the output is late.
    [[nodiscard]] virtual int latency() const { return 0; }
    // Moves a parameter (index into the table, value in its range); the sound follows smoothly.
    virtual void setValue(int index, double value) = 0;
    // The parameter's values in the next block, one a frame, which stay until it is done; false
    // where it moves by setValue() alone. Real-time safe.
    virtual bool followCurve(int index, std::span<const double> values) {
        (void)index;
        (void)values;
        return false;
    }
    // Forgets all sound, keeps the parameters (and arrives at them at once).
    virtual void reset() = 0;
    // `key` drives the detector; a processor without one ignores it. Never null: the
    // engine passes the signal itself where no other key is chosen.
    virtual void process(const AudioBlock& io, const AudioBlock& key) = 0;
    // Applies to `io` exactly what `master` did to its own signal in its last block.
    // For linear processors that is process(); level-driven ones apply the master's gain.
    virtual void replay(const AudioBlock& io, const Processor& master) {
        (void)master;
        process(io, io);
    }
    // True when replay() of parts sums to process() of the whole.
    [[nodiscard]] virtual bool replaysExactly() const { return true; }

    // Which strokes count from the next block on, for processors that strokes may drive; called
    // before process(), never with an empty list; the list stays as it is until that is done.
    // Real-time safe.
    virtual void strike(std::span<const BlockEvent> strikes) { (void)strikes; }
    // Whether strokes drive it, and how many frames before a stroke comes out it wants to be told.
    [[nodiscard]] virtual bool wantsStrokes() const { return false; }
    [[nodiscard]] virtual int strokeLead() const { return 0; }

    // Goes on where another of the same type, with the same structural parameters and channels, is:
    // its sound, its detectors and its parameters become this one's. Real-time safe.
    virtual void adopt(const Processor& other) = 0;

    [[nodiscard]] const Reading& reading() const { return reading_; }

  protected:
    Processor& operator=(const Processor&) = default;

    Reading reading_;
};

// A processor that is a value: adopting is assigning. Buffers of one size are copied in place, so
// nothing is allocated.
template <class Own>
class ValueProcessor : public Processor {
  public:
    void adopt(const Processor& other) override {
        static_cast<Own&>(*this) = static_cast<const Own&>(other);
    }
};

// Where a processor's miniature stands on the Board.
enum class Column { align, gate, repair, dynamics, colour, layers, seat, sends };

struct ProcessorType {
    std::string id;     // "gate"
    std::string label;  // "Gate"
    Column home = Column::repair;
    bool hasKey = false;  // may listen to another element
    std::string doc;
    std::string source;  // where the method comes from
    ParameterTable table;
    std::unique_ptr<Processor> (*make)(const ProcessSpec&, std::span<const double> values);
};

// All processors, in the order of the work. The only list that names them.
std::span<const ProcessorType> processorTypes();
// Throws Error for an unknown id.
const ProcessorType& processorType(std::string_view id);
// The defaults of a table.
std::vector<double> standardValues(ParameterTable table);

}  // namespace ember
