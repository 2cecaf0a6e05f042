#include "core/session/midi_time.h"

#include "core/base/error.h"
#include "core/base/number.h"

#include <smf.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <fstream>
#include <iterator>
#include <memory>

namespace ember {
namespace {

constexpr std::size_t kLargestFile = std::size_t{64} << 20U;
constexpr unsigned char kMeta = 0xFF, kTempo = 0x51, kMetre = 0x58;

struct Closer {
    void operator()(smf_t* smf) const { smf_delete(smf); }
};

// Messages of the library go nowhere: our own sentence says what is wrong.
void hush(const gchar*, GLogLevelFlags, const gchar*, gpointer) {}

std::uint32_t numberAt(const std::string& bytes, std::size_t at) {
    std::uint32_t number = 0;
    for (std::size_t i = at; i < at + 4; ++i)
        number = (number << 8U) | static_cast<unsigned char>(bytes[i]);
    return number;
}

// Whether all chunks are there in full, as many tracks among them as the header says: the library
// reads what it can get of others and says nothing.
bool whole(const std::string& bytes) {
    std::uint32_t tracks = 0;
    std::size_t at = 8 + std::size_t{numberAt(bytes, 4)};
    while (at + 8 <= bytes.size()) {
        tracks += bytes.compare(at, 4, "MTrk") == 0 ? 1U : 0U;
        at += 8 + std::size_t{numberAt(bytes, at + 4)};
    }
    return at == bytes.size() && tracks == (numberAt(bytes, 8) & 0xFFFFU);
}

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
    const auto fault = [&](const std::string& why) { return Error("“" + name + "”: " + why); };
    if (bytes.size() > kLargestFile)
        throw fault("it is larger than 64 MB, which no MIDI file is; choose another.");
    if (bytes.size() < 14 || bytes.compare(0, 4, "MThd") != 0 || numberAt(bytes, 4) < 6)
        throw fault("it is no MIDI file; choose one that ends in .mid.");
    if ((static_cast<unsigned char>(bytes[12]) & 0x80U) != 0)
        throw fault("it counts film frames, not beats; export it with beats (pulses a quarter).");
    if (!whole(bytes)) throw fault("it is broken or cut short; export it anew.");
    const GLogFunc before = g_log_set_default_handler(hush, nullptr);
    const std::unique_ptr<smf_t, Closer> smf(
        smf_load_from_memory(bytes.data(), static_cast<int>(bytes.size())));
    g_log_set_default_handler(before, nullptr);
    if (!smf || smf->ppqn <= 0) throw fault("it is broken; export it anew.");
    TimeMap time;
    try {
        while (const smf_event_t* event = smf_get_next_event(smf.get())) {
            const unsigned char* data = event->midi_buffer;
            if (event->midi_buffer_length < 6 || data[0] != kMeta) continue;
            const double quarter = 1.0 * event->time_pulses / smf->ppqn;
            if (data[1] == kTempo && data[2] == 3) {
                const unsigned micros = (static_cast<unsigned>(data[3]) << 16U) |
                                        (static_cast<unsigned>(data[4]) << 8U) | data[5];
                addTempo(time, quarter, micros > 0 ? 60e6 / micros : INFINITY);
            }
            if (data[1] == kMetre && data[2] >= 2 && event->midi_buffer_length >= 5)
                addMetre(time, quarter, data[3], data[4]);
        }
    } catch (const Error& error) {
        throw fault(error.what());
    }
    if (const std::string problem = problemIn(time); !problem.empty()) throw fault(problem);
    return time;
}

TimeMap loadMidiTime(const std::filesystem::path& file) {
    std::ifstream in(file, std::ios::binary);
    if (!in)
        throw Error("“" + file.string() +
                    "” could not be opened; check that it is there and may "
                    "be read.");
    std::string bytes;
    std::error_code code;
    if (const auto size = std::filesystem::file_size(file, code); !code && size <= kLargestFile)
        bytes.assign(std::istreambuf_iterator<char>(in), {});
    return midiTime(bytes, file.filename().string());
}

}  // namespace ember
