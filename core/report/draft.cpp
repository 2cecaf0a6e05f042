#include "core/report/draft.h"

#include "core/base/error.h"
#include "core/base/text.h"
#include "core/session/kit.h"
#include "core/session/layers.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kLowestPart = -30.0;  // dB

// An id that no drum of the session has: "kick", "kick-2".
std::string freeDrum(const Session& session, const std::string& kind) {
    std::string id = kind;
    for (int n = 2; std::any_of(session.drums.begin(), session.drums.end(),
                                [&](const Drum& d) { return d.id == id; });
         ++n)
        id = kind + "-" + std::to_string(n);
    return id;
}

// Where a stroke of the record falls in this session, in quarters from its bar 1.
double quarterOf(const Session& session, const ReferenceReading& reference, double seconds) {
    if (reference.timing.bpm <= 0.0) return quarterAt(session.time, seconds);
    const MetreChange& metre = session.time.metres.front();
    const double bar = 4.0 * metre.beats / metre.unit,
                 first = quarterAt(session.time, reference.timing.firstBar);
    // Where its beats already are this song's, they stay; its bar lines may be less sure.
    const bool together = std::abs(reference.timing.bpm - tempoAt(session.time, seconds)) < 0.5 &&
                          std::abs(first - std::round(first)) < 0.1;
    const double to = together ? std::round(first) : std::round(first / bar) * bar;
    return to + (seconds - reference.timing.firstBar) * reference.timing.bpm / 60.0;
}

// What a sound adds at its beginning, as the drums of a record are read.
double addsOf(AudioStore& store, const DraftPart& part, int rate) {
    const auto clip = store.open(part.sound, rate, {});
    // It begins where it first sounds, with silence before it, which a stroke is held against.
    const auto lead = static_cast<std::size_t>(rate / 2);
    float peak = 0.0F;
    for (int c = 0; c < clip->channels(); ++c) {
        for (const float x : clip->channel(c)) peak = std::max(peak, std::abs(x));
    }
    std::size_t first = static_cast<std::size_t>(clip->frames());
    for (int c = 0; c < clip->channels(); ++c) {
        const auto x = clip->channel(c);
        const auto loud =
            std::find_if(x.begin(), x.end(), [&](float v) { return std::abs(v) > 0.05F * peak; });
        first = std::min(first, static_cast<std::size_t>(loud - x.begin()));
    }
    std::vector<std::vector<float>> sides;
    SongSides spans;
    for (int c = 0; c < clip->channels(); ++c) {
        const auto x = clip->channel(c).subspan(first);
        sides.emplace_back(lead, 0.0F);
        sides.back().insert(sides.back().end(), x.begin(), x.end());
    }
    for (const auto& side : sides) spans.emplace_back(side);
    const auto adds = strokeAddsDb(spans, rate, static_cast<double>(lead) / rate, part.drum);
    if (!adds) throw Error("“" + part.sound.filename().string() + "” is silent.");
    return *adds;
}

}  // namespace

Role songRole(std::string_view drum) {
    return drum == "kick" ? Role::kick : drum == "snare" ? Role::snare : Role::hat;
}

DraftMade withDraft(Session session, AudioStore& store, const ReferenceReading& reference,
                    const std::vector<DraftPart>& parts) {
    if (parts.empty()) throw Error("A draft needs a sound for one drum at least.");
    DraftMade out;
    std::vector<double> levels;
    for (const DraftPart& part : parts) {
        const auto& stands = reference.whole.drums;
        const auto at = std::find_if(stands.begin(), stands.end(),
                                     [&](const DrumStands& d) { return d.drum == part.drum; });
        if (at == stands.end())
            throw Error("Too few strokes of a " + recordDrum(part.drum) +
                        " were heard in the record.");
        levels.push_back(at->db - addsOf(store, part, session.sampleRate));
    }
    const double loudest = *std::max_element(levels.begin(), levels.end());
    Pattern pattern = session.pattern.get();
    for (std::size_t p = 0; p < parts.size(); ++p) {
        const DraftPart& part = parts[p];
        const std::string drum = freeDrum(session, part.drum);
        const std::string name = "Draft " + usualDrumName(part.drum);
        session.drums.push_back({drum, name});
        Source sound;
        sound.file = part.sound.string();
        sound.hash = store.contentHash(part.sound);
        NewRow made = withLayerRow(std::move(session), drum, {sound}, name);
        session = std::move(made.session);
        const std::string bus(busOf(songRole(part.drum)));
        if (!bus.empty() && findRow(session, bus) != nullptr)
            requireRow(session, made.row).parent = bus;
        session = withValue(std::move(session), made.row, "seat", "level",
                            std::max(kLowestPart, levels[p] - loudest));
        out.rows.push_back(made.row);
        for (const Stroke& s : reference.strokes) {
            if (s.drum != part.drum) continue;
            const double tick = std::round(quarterOf(session, reference, s.time) * pattern.pulses);
            if (tick < 0.0) continue;
            Note note;
            note.tick = static_cast<std::int64_t>(tick);
            note.drum = drum;
            note.velocity = std::clamp(s.velocity, 0.05, 1.0);
            pattern.notes.push_back(std::move(note));
        }
    }
    session.pattern = Shared(inOrder(std::move(pattern)));
    if (const std::string problem = validate(session); !problem.empty()) throw Error(problem);
    out.session = std::move(session);
    return out;
}

}  // namespace ember
