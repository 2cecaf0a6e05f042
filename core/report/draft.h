// A draft from a record: what is struck in it, played by sounds of one's own, as loud against each
// other as its drums are.
#pragma once

#include "core/report/reference.h"

#include <filesystem>
#include <string>
#include <vector>

namespace ember {

struct DraftPart {
    std::string drum;  // of the record: "kick", "snare", "hihat"
    std::filesystem::path sound;
};

// Role::kick for "kick" and so on.
Role songRole(std::string_view drum);

struct DraftMade {
    Session session;
    std::vector<std::string> rows;  // a row of layers for every part
};

// The session with a drum, a row and notes for every part: notes at the beats the record's strokes
// have in its bars, from this session's bar nearest to the record's first one on (its beat, where
// both go at one tempo and their beats fall together); where its tempo is not known, at their
// seconds. Rows go into the bus of their kind where there is one. The loudest part plays its sound
// as it is, the others less. What is there already stays. Any thread; throws Error for a sound that
// cannot be read and a drum of which the record has too few strokes.
DraftMade withDraft(Session session, AudioStore& store, const ReferenceReading& reference,
                    const std::vector<DraftPart>& parts);

}  // namespace ember
