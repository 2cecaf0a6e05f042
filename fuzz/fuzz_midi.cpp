// Any bytes as a MIDI file: a sound time and notes in order, or one sentence.

#include "core/base/error.h"
#include "core/session/midi_notes.h"
#include "core/session/midi_time.h"

#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    try {
        const ember::TimeMap map =
            ember::midiTime(std::string(reinterpret_cast<const char*>(data), size), "fuzz.mid");
        if (!ember::problemIn(map).empty()) std::abort();
        for (int bar = 0; bar < 20; ++bar) {
            if (ember::barAt(map, ember::secondsOfBar(map, bar)) != bar) std::abort();
        }
    } catch (const ember::Error&) {
        // What a person reads.
    }
    try {
        const ember::Pattern pattern = ember::midiPattern(
            std::string(reinterpret_cast<const char*>(data), size), "fuzz.mid", ember::Session{});
        for (std::size_t i = 1; i < pattern.notes.size(); ++i) {
            if (pattern.notes[i].tick < pattern.notes[i - 1].tick) std::abort();
        }
    } catch (const ember::Error&) {
        // The same.
    }
    return 0;
}
