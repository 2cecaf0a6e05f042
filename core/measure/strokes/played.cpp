#include "core/measure/strokes/played.h"

#include "core/measure/strokes/kinds.h"

#include <algorithm>
#include <map>

namespace ember {

std::vector<Stroke> programmedStrokes(const Session& session) {
    const Pattern& pattern = session.pattern.get();
    std::vector<Stroke> out;
    out.reserve(pattern.notes.size());
    for (const Note& note : pattern.notes) {
        Stroke s;
        s.time = secondsOf(pattern, note, session.time);
        s.drum = note.drum;
        s.velocity = note.velocity;
        s.levelDb = levelFromVelocity(std::max(1.0 / 127.0, note.velocity));
        s.confidence = 1.0;
        s.byHand = true;
        s.articulation = note.articulation;
        out.push_back(std::move(s));
    }
    sortByTime(out);
    std::map<std::string_view, std::vector<Stroke*>> drums;
    for (Stroke& s : out) drums[s.drum].push_back(&s);
    for (auto& [drum, strokes] : drums) sortIntoKinds(strokes);
    return out;
}

std::vector<Stroke> playedStrokes(const Session& session) {
    std::vector<Stroke> out = programmedStrokes(session);
    const std::vector<Stroke>& heard = session.strokes.get();
    out.insert(out.end(), heard.begin(), heard.end());
    std::inplace_merge(out.begin(), out.end() - std::ssize(heard), out.end(), earlier);
    return out;
}

std::vector<Stroke> playedStrokes(const Session& session, std::string_view drum) {
    std::vector<Stroke> out = playedStrokes(session);
    std::erase_if(out, [&](const Stroke& s) { return s.drum != drum; });
    return out;
}

}  // namespace ember
