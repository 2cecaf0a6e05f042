// Any bytes as a MIDI file: a sound time, or one sentence.

#include "core/base/error.h"
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
    return 0;
}
