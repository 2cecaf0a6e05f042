#include "core/report/midi_write.h"

#include "core/base/error.h"

#include <smf.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <map>
#include <memory>
#include <utility>

namespace ember {
namespace {

constexpr int kNoteOn = 0x99, kNoteOff = 0x89;  // channel 10
constexpr int kMostFilePulses = 32767;          // a quarter note: 15 bits of the header

struct Closer {
    void operator()(smf_t* smf) const { smf_delete(smf); }
};

void addEvent(smf_track_t* track, smf_event_t* event, int pulse) {
    if (event == nullptr) throw Error("The MIDI file could not be put together; try again.");
    smf_track_add_event_pulses(track, event, pulse);
}

smf_track_t* addTrack(smf_t* smf, const std::string& name) {
    smf_track_t* track = smf_track_new();
    if (track == nullptr) throw Error("The MIDI file could not be put together; try again.");
    smf_add_track(smf, track);
    std::vector<unsigned char> text{0xFF, 0x03, static_cast<unsigned char>(name.size())};
    text.insert(text.end(), name.begin(), name.end());
    addEvent(track, smf_event_new_from_pointer(text.data(), static_cast<int>(text.size())), 0);
    return track;
}

void addTempo(smf_t* smf, const TimeMap& time, int pulses, const std::vector<MidiMark>& marks) {
    smf_track_t* track = addTrack(smf, "tempo");
    // Events are added in order: a track of the library is one list in time.
    std::map<int, std::vector<std::vector<unsigned char>>> events;
    for (const TempoChange& t : time.tempos) {
        const auto micros =
            static_cast<unsigned>(std::clamp(std::lround(60e6 / t.bpm), 1L, 0xFFFFFFL));
        events[static_cast<int>(std::lround(t.quarter * pulses))].push_back(
            {0xFF, 0x51, 0x03, static_cast<unsigned char>(micros >> 16U),
             static_cast<unsigned char>((micros >> 8U) & 0xFFU),
             static_cast<unsigned char>(micros & 0xFFU)});
    }
    for (const MetreChange& m : time.metres) {
        const auto power =
            static_cast<unsigned char>(std::countr_zero(static_cast<unsigned>(m.unit)));
        events[static_cast<int>(std::lround(quarterOfBar(time, m.bar) * pulses))].push_back(
            {0xFF, 0x58, 0x04, static_cast<unsigned char>(m.beats), power, 24, 8});
    }
    for (const MidiMark& mark : marks) {
        const std::string text = mark.text.substr(0, 127);  // of which one byte tells the length
        std::vector<unsigned char> bytes{0xFF, 0x06, static_cast<unsigned char>(text.size())};
        bytes.insert(bytes.end(), text.begin(), text.end());
        const double quarter = std::max(0.0, quarterAt(time, mark.time));
        events[static_cast<int>(std::lround(quarter * pulses))].push_back(std::move(bytes));
    }
    for (auto& [pulse, list] : events) {
        for (auto& bytes : list)
            addEvent(track,
                     smf_event_new_from_pointer(bytes.data(), static_cast<int>(bytes.size())),
                     pulse);
    }
}

// `time` begins with pulse zero.
void writePattern(const Session& session, const Pattern& pattern, const TimeMap& time,
                  const std::filesystem::path& file, const std::vector<MidiMark>& marks = {}) {
    const std::unique_ptr<smf_t, Closer> smf(smf_new());
    if (!smf || smf_set_ppqn(smf.get(), pattern.pulses) != 0)
        throw Error("The MIDI file could not be put together; try again.");
    addTempo(smf.get(), time, pattern.pulses, marks);
    std::map<std::string, std::map<int, std::vector<const Note*>>> byDrum;  // and by key
    for (const Note& n : pattern.notes)
        byDrum[n.drum][n.key >= 0 ? n.key : usualKey(n.drum, n.articulation)].push_back(&n);
    const int usual = std::max(1, pattern.pulses / 16);
    for (const auto& [drum, keys] : byDrum) {
        smf_track_t* track = addTrack(smf.get(), drumName(session, drum));
        // Ends come before beginnings of the same pulse: a track is one list in time.
        std::multimap<std::pair<std::int64_t, int>, std::array<int, 3>> events;
        for (const auto& [key, notes] : keys) {
            for (std::size_t i = 0; i < notes.size(); ++i) {
                const std::int64_t at = notes[i]->tick;
                std::int64_t end = at + (notes[i]->length > 0 ? notes[i]->length : usual);
                // A note ends before the next of its key begins.
                if (i + 1 < notes.size()) end = std::clamp(notes[i + 1]->tick, at, end);
                const int velocity =
                    std::clamp(static_cast<int>(std::lround(127.0 * notes[i]->velocity)), 1, 127);
                events.insert({{at, 1}, {kNoteOn, key, velocity}});
                events.insert({{end, end > at ? 0 : 2}, {kNoteOff, key, 64}});
            }
        }
        for (const auto& [when, bytes] : events)
            addEvent(track, smf_event_new_from_bytes(bytes[0], bytes[1], bytes[2]),
                     static_cast<int>(when.first));
    }
    const std::filesystem::path part = file.string() + ".part";
    errno = 0;
    if (smf_save(smf.get(), part.c_str()) != 0) {
        const std::string why = errno != 0 ? std::string(": ") + std::strerror(errno) : "";
        std::error_code code;
        std::filesystem::remove(part, code);
        throw Error("“" + file.string() + "” could not be written" + why +
                    "; choose another folder or make room.");
    }
    std::filesystem::rename(part, file);
}

}  // namespace

void writeStrokesMidi(const Session& session, const std::vector<Stroke>& strokes,
                      const std::filesystem::path& file, const std::vector<MidiMark>& marks) {
    const TimeMap time = fromZero(session.time);
    Pattern pattern;
    for (const Stroke& s : strokes) {
        Note note;
        note.tick = std::llround(std::max(0.0, quarterAt(time, s.time)) * pattern.pulses);
        note.drum = s.drum;
        note.velocity = s.velocity;
        note.articulation = s.articulation;
        pattern.notes.push_back(std::move(note));
    }
    writePattern(session, inOrder(std::move(pattern)), time, file, marks);
}

void writePatternMidi(const Session& session, const Pattern& pattern,
                      const std::filesystem::path& file) {
    TimeMap time = session.time;
    time.start = 0.0;
    const Pattern ordered = inOrder(pattern);
    writePattern(session,
                 ordered.pulses > kMostFilePulses ? withPulses(ordered, kUsualPulses) : ordered,
                 time, file);
}

}  // namespace ember
