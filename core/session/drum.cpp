#include "core/session/drum.h"

#include <array>
#include <cctype>

namespace ember {
namespace {

struct Word {
    std::string_view first;
    DrumFamily family;
    const char* name;
};
constexpr std::array<Word, 10> kWords{{{"kick", DrumFamily::kick, "Kick"},
                                       {"snare", DrumFamily::snare, "Snare"},
                                       {"hihat", DrumFamily::hat, "Hat"},
                                       {"rack-tom", DrumFamily::tom, "Rack Tom"},
                                       {"floor-tom", DrumFamily::tom, "Floor Tom"},
                                       {"tom", DrumFamily::tom, "Tom"},
                                       {"ride", DrumFamily::cymbal, "Ride"},
                                       {"crash", DrumFamily::cymbal, "Crash"},
                                       {"cymbal", DrumFamily::cymbal, "Cymbals"},
                                       {"percussion", DrumFamily::percussion, "Percussion"}}};

const Word* wordOf(std::string_view id) {
    for (const Word& w : kWords) {
        if (id.starts_with(w.first) && (id.size() == w.first.size() || id[w.first.size()] == '-'))
            return &w;
    }
    return nullptr;
}

}  // namespace

DrumFamily drumFamily(std::string_view id) {
    const Word* word = wordOf(id);
    return word == nullptr ? DrumFamily::percussion : word->family;
}

bool isTom(std::string_view id) {
    return drumFamily(id) == DrumFamily::tom;
}
bool isMetal(std::string_view id) {
    const DrumFamily family = drumFamily(id);
    return family == DrumFamily::hat || family == DrumFamily::cymbal;
}
bool hasNote(std::string_view id) {
    const DrumFamily family = drumFamily(id);
    return family == DrumFamily::kick || family == DrumFamily::snare || family == DrumFamily::tom;
}

std::string usualDrumName(std::string_view id) {
    const Word* word = wordOf(id);
    if (word != nullptr) {
        std::string name = word->name;
        if (id.size() > word->first.size())
            name += " " + std::string(id.substr(word->first.size() + 1));
        return name;
    }
    std::string name(id);
    for (char& c : name) c = c == '-' ? ' ' : c;
    if (!name.empty())
        name[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(name[0])));
    return name;
}

std::string drumKind(const std::vector<std::string>& drums, std::string_view id) {
    switch (drumFamily(id)) {
        case DrumFamily::kick:
            return "kick";
        case DrumFamily::snare:
            return "snare";
        case DrumFamily::hat:
            return "hihat";
        case DrumFamily::cymbal:
            return "cymbal";
        case DrumFamily::percussion:
            return "percussion";
        case DrumFamily::tom:
            break;
    }
    int place = 0;
    for (const std::string& drum : drums) {
        place += isTom(drum) ? 1 : 0;
        if (drum == id) break;
    }
    return "tom-" + std::to_string(place == 0 ? 1 : place);
}

}  // namespace ember
