#include "core/session/midi_file.h"

#include "core/base/error.h"

#include <smf.h>

#include <fstream>
#include <iterator>
#include <memory>

namespace ember {
namespace {

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

}  // namespace

int readMidi(const std::string& bytes, const std::string& name,
             const std::function<void(const MidiEvent&, int)>& each) {
    const auto fault = [&](const std::string& why) { return Error("“" + name + "”: " + why); };
    if (bytes.size() > kLargestMidi)
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
    try {
        while (const smf_event_t* event = smf_get_next_event(smf.get())) {
            if (event->midi_buffer_length < 1) continue;
            each({event->time_pulses,
                  {event->midi_buffer, static_cast<std::size_t>(event->midi_buffer_length)},
                  event->track_number},
                 smf->ppqn);
        }
    } catch (const Error& error) {
        throw fault(error.what());
    }
    return smf->ppqn;
}

std::string midiBytes(const std::filesystem::path& file) {
    std::ifstream in(file, std::ios::binary);
    if (!in)
        throw Error("“" + file.string() +
                    "” could not be opened; check that it is there and may be read.");
    std::string bytes;
    std::error_code code;
    if (const auto size = std::filesystem::file_size(file, code); !code && size <= kLargestMidi)
        bytes.assign(std::istreambuf_iterator<char>(in), {});
    return bytes;
}

}  // namespace ember
