#include "core/report/strokes_midi.h"

#include "core/base/error.h"

#include <smf.h>

#include <algorithm>
#include <bit>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <map>
#include <memory>

namespace ember {
namespace {

constexpr int kPulses = 960;                    // a quarter note
constexpr int kNoteOn = 0x99, kNoteOff = 0x89;  // channel 10
constexpr int kNotePulses = kPulses / 16;

struct Closer {
    void operator()(smf_t* smf) const { smf_delete(smf); }
};

int pulseAt(const TimeMap& time, double seconds) {
    return static_cast<int>(std::lround(std::max(0.0, quarterAt(time, seconds)) * kPulses));
}

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

void addTempo(smf_t* smf, const TimeMap& time) {
    smf_track_t* track = addTrack(smf, "tempo");
    // Events are added in order: a track of the library is one list in time.
    std::map<int, std::vector<std::vector<unsigned char>>> events;
    for (const TempoChange& t : time.tempos) {
        const auto micros =
            static_cast<unsigned>(std::clamp(std::lround(60e6 / t.bpm), 1L, 0xFFFFFFL));
        events[static_cast<int>(std::lround(t.quarter * kPulses))].push_back(
            {0xFF, 0x51, 0x03, static_cast<unsigned char>(micros >> 16U),
             static_cast<unsigned char>((micros >> 8U) & 0xFFU),
             static_cast<unsigned char>(micros & 0xFFU)});
    }
    for (const MetreChange& m : time.metres) {
        const auto power =
            static_cast<unsigned char>(std::countr_zero(static_cast<unsigned>(m.unit)));
        events[static_cast<int>(std::lround(quarterOfBar(time, m.bar) * kPulses))].push_back(
            {0xFF, 0x58, 0x04, static_cast<unsigned char>(m.beats), power, 24, 8});
    }
    for (auto& [pulse, list] : events) {
        for (auto& bytes : list)
            addEvent(track,
                     smf_event_new_from_pointer(bytes.data(), static_cast<int>(bytes.size())),
                     pulse);
    }
}

}  // namespace

int midiKeyOf(const std::string& drum) {
    static const std::map<std::string, int> keys{
        {"kick", 36},  {"snare", 38},   {"hihat", 42},     {"cymbal", 49},     {"ride", 51},
        {"crash", 49}, {"crash-2", 57}, {"rack-tom", 50},  {"rack-tom-2", 48}, {"tom", 48},
        {"tom-2", 45}, {"tom-3", 43},   {"floor-tom", 43}, {"tom-4", 41},      {"floor-tom-2", 41}};
    const auto at = keys.find(drum);
    if (at != keys.end()) return at->second;
    switch (drumFamily(drum)) {
        case DrumFamily::tom:
            return 47;
        case DrumFamily::cymbal:
            return 55;
        default:
            return 56;
    }
}

void writeStrokesMidi(const Session& session, const std::vector<Stroke>& strokes,
                      const std::filesystem::path& file) {
    const std::unique_ptr<smf_t, Closer> smf(smf_new());
    if (!smf || smf_set_ppqn(smf.get(), kPulses) != 0)
        throw Error("The MIDI file could not be put together; try again.");
    const TimeMap time = fromZero(session.time);
    addTempo(smf.get(), time);
    std::map<std::string, std::vector<const Stroke*>> byDrum;
    for (const Stroke& s : strokes) byDrum[s.drum].push_back(&s);
    for (auto& [drum, list] : byDrum) {
        std::sort(list.begin(), list.end(),
                  [](const Stroke* a, const Stroke* b) { return a->time < b->time; });
        smf_track_t* track = addTrack(smf.get(), drumName(session, drum));
        const int key = midiKeyOf(drum), length = kNotePulses;
        for (std::size_t i = 0; i < list.size(); ++i) {
            const int at = pulseAt(time, list[i]->time);
            int end = at + length;
            // A note ends before the next of its key begins.
            if (i + 1 < list.size())
                end = std::clamp(pulseAt(time, list[i + 1]->time) - 1, at, end);
            const int velocity =
                std::clamp(static_cast<int>(std::lround(127.0 * list[i]->velocity)), 1, 127);
            addEvent(track, smf_event_new_from_bytes(kNoteOn, key, velocity), at);
            addEvent(track, smf_event_new_from_bytes(kNoteOff, key, 64), end);
        }
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

}  // namespace ember
