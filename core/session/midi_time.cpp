#include "core/session/midi_time.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/session/midi_file.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr unsigned char kMeta = 0xFF, kTempo = 0x51, kMetre = 0x58;

void addTempo(TimeMap& time, double quarter, double bpm) {
    if (!(bpm >= kSlowestTempo && bpm <= kFastestTempo))
        throw Error("it asks for " + numberText(bpm, 2) +
                    " quarter notes a minute; 20 to 400 can be used.");
    if (quarter <= time.tempos.back().quarter) {
        time.tempos.back().bpm = bpm;
    } else {
        time.tempos.push_back({quarter, bpm});
    }
}

void addMetre(TimeMap& time, double quarter, int beats, int power) {
    if (beats < 1 || beats > 32 || power > 5)
        throw Error("it asks for a metre beyond 32 beats of a 32nd note; correct it.");
    int bar = metreAt(time, 1'000'000).bar;
    const double first = quarterOfBar(time, bar), length = quarterOfBar(time, bar + 1) - first;
    const double bars = std::ceil((quarter - first) / length - 1e-6);
    if (bars > 100'000) throw Error("its metre changes after more than 100 000 bars; correct it.");
    bar += std::max(0, static_cast<int>(bars));
    time = withMetreFrom(std::move(time), bar, beats, 1 << power);
}

}  // namespace

TimeMap midiTime(const std::string& bytes, const std::string& name) {
    TimeMap time;
    readMidi(bytes, name, [&](const MidiEvent& event, int pulses) {
        const auto data = event.bytes;
        if (data.size() < 6 || data[0] != kMeta) return;
        const double quarter = static_cast<double>(event.pulse) / pulses;
        if (data[1] == kTempo && data[2] == 3) {
            const unsigned micros = (static_cast<unsigned>(data[3]) << 16U) |
                                    (static_cast<unsigned>(data[4]) << 8U) | data[5];
            addTempo(time, quarter, micros > 0 ? 60e6 / micros : INFINITY);
        }
        if (data[1] == kMetre && data[2] >= 2) addMetre(time, quarter, data[3], data[4]);
    });
    if (const std::string problem = problemIn(time); !problem.empty())
        throw Error("“" + name + "”: " + problem);
    return time;
}

TimeMap loadMidiTime(const std::filesystem::path& file) {
    return midiTime(midiBytes(file), file.filename().string());
}

}  // namespace ember
