#include "core/session/midi_notes.h"

#include "core/base/error.h"
#include "core/session/layers.h"
#include "core/session/midi_file.h"

#include <algorithm>
#include <map>
#include <utility>

namespace ember {
namespace {

constexpr int kDrumChannel = 9;
constexpr std::size_t kMostNotes = 1'000'000;

}  // namespace

Pattern midiPattern(const std::string& bytes, const std::string& name, const Session& session) {
    std::vector<std::pair<int, Note>> all;  // channel
    std::map<std::pair<int, int>, std::size_t> sounding;
    const int pulses = readMidi(bytes, name, [&](const MidiEvent& event, int) {
        if (event.bytes.size() < 3 || event.bytes[0] >= 0xF0) return;
        const int status = event.bytes[0] & 0xF0, channel = event.bytes[0] & 0x0F;
        const int key = event.bytes[1] & 0x7F, velocity = event.bytes[2] & 0x7F;
        if (status != 0x90 && status != 0x80) return;
        if (const auto on = sounding.find({channel, key}); on != sounding.end()) {
            Note& note = all[on->second].second;
            note.length = std::max<std::int64_t>(1, event.pulse - note.tick);
            sounding.erase(on);
        }
        if (status == 0x80 || velocity == 0) return;
        if (all.size() >= kMostNotes)
            throw Error("it has more than a million notes; take a part of it.");
        sounding[{channel, key}] = all.size();
        Note note;
        note.tick = event.pulse;
        note.velocity = velocity / 127.0;
        note.key = key;
        all.emplace_back(channel, note);
    });
    const bool drums =
        std::any_of(all.begin(), all.end(), [](const auto& n) { return n.first == kDrumChannel; });
    Pattern pattern{pulses, {}};
    std::map<int, KeyMapping> mappings;
    for (auto& [channel, note] : all) {
        if (drums && channel != kDrumChannel) continue;
        const auto known = mappings.try_emplace(note.key, KeyMapping{});
        if (known.second) known.first->second = mappingOf(session, note.key);
        if (known.first->second.drum.empty()) continue;
        note.drum = known.first->second.drum;
        note.articulation = known.first->second.articulation;
        pattern.notes.push_back(std::move(note));
    }
    if (pattern.notes.empty())
        throw Error("“" + name + "” holds no notes; choose a file with drums in it.");
    return inOrder(std::move(pattern));
}

Pattern loadMidiPattern(const std::filesystem::path& file, const Session& session) {
    return midiPattern(midiBytes(file), file.filename().string(), session);
}

}  // namespace ember
