#include "core/measure/who/file_name.h"

#include "core/measure/who/name_words.h"

#include <algorithm>
#include <array>
#include <cctype>

namespace ember {
namespace {

struct DrumWord {
    Role role = Role::unknown;
    const char* word = "";  // the meaning it rests on
    double weak = 1.0;      // below 1 where the word alone could mean something else
};

DrumWord drumOf(const NameWords& w) {
    const bool tomBass = w.has("tom") && w.word("bass");
    const bool bassDrum =
        w.has("bass") && (w.word("drum") || w.word("caisse") || w.word("trommel")) && !w.has("tom");
    const bool grosseCaisse = w.word("grosse") || w.word("gran");
    const bool claire = w.word("claire") || w.word("clara") || w.word("kleine");
    const bool inside = w.has("in"), outside = w.hasAny({"out", "sub", "front", "far"}) ||
                                               w.hasAny({"low"}) || w.word("subkick");
    if ((w.has("kick") || bassDrum || grosseCaisse) && !claire) {
        const char* word = w.has("kick") ? "kick" : (bassDrum ? "bass" : "kit");
        if (inside) return {Role::kickIn, word};
        return {outside ? Role::kickOut : Role::kick, word};
    }
    if (w.has("snare") || claire) {
        const char* word = w.has("snare") ? "snare" : "kit";
        if (w.has("bottom")) return {Role::snareBottom, word};
        return {w.hasAny({"top", "over"}) ? Role::snareTop : Role::snare, word};
    }
    if (w.has("hat")) return {Role::hat, "hat"};
    if (tomBass) return {Role::floorTom, "tom"};
    if (w.has("floor")) return {Role::floorTom, "floor"};
    if (w.has("rack")) return {Role::rackTom, "rack"};
    if (w.has("tom")) {
        if (w.has("low") || w.word("basse") || w.word("bas")) return {Role::floorTom, "tom"};
        if (w.hasAny({"high", "mid", "top"})) return {Role::rackTom, "tom"};
        return {Role::tom, "tom"};
    }
    if (w.has("ride")) return {Role::ride, "ride"};
    if (w.has("crash")) return {Role::crash, "crash"};
    if (w.has("cymbals")) {
        const bool spot = w.word("spot") || w.word("close");
        const bool plural = w.word("cymbals") || w.word("becken") || w.word("platos") ||
                            w.word("piatti") || w.word("cymbales") || w.word("blachy") ||
                            w.word("cymbaler") || w.word("pratos") || w.word("bekkens");
        if (!spot && (plural || w.side() >= 0)) return {Role::overhead, "cymbals", 0.8};
        return {Role::crash, "cymbals", 0.9};
    }
    return {};
}

DrumWord readingOf(const NameWords& w) {
    const DrumWord drum = drumOf(w);
    const bool music = w.has("mix") && !w.has("kit");
    if (w.has("sample")) return {Role::sample, "sample"};
    if (w.has("trigger")) return {Role::trigger, "trigger"};
    if (w.has("loop")) return {Role::loop, "loop"};
    if (w.has("reference") && drum.role == Role::unknown && !w.has("kit"))
        return {Role::reference, "reference"};
    if (music && drum.role == Role::unknown && !w.has("overhead"))
        return {Role::reference, "mix", 0.85};
    if (w.has("overhead")) {
        // In Spanish the word for overheads also hangs a tom.
        if (w.has("tom") && w.word("aereo")) return {Role::rackTom, "tom"};
        return {Role::overhead, "overhead"};
    }
    const bool frontOfKit = w.has("front") && (w.has("kit") || w.word("of"));
    if (w.has("room") || (frontOfKit && drum.role == Role::unknown))
        return {Role::room, w.has("room") ? "room" : "front"};
    if (w.has("percussion") && drum.role != Role::ride && drum.role != Role::snare &&
        drum.role != Role::hat && drum.role != Role::kick)
        return {Role::percussion, "percussion"};
    if (w.has("guest") && drum.role == Role::unknown && !w.has("bass"))
        return {Role::unknown, "guest"};
    if (drum.role != Role::unknown) return drum;
    if (w.has("bass")) return {Role::bass, "bass"};
    if (w.has("over")) return {Role::overhead, "over", 0.85};
    if (w.has("far") || w.has("front")) return {Role::room, w.has("far") ? "far" : "front", 0.8};
    if (w.has("kit")) return {Role::kit, "kit", w.tokens().size() > 4 ? 0.7 : 1.0};
    if (w.has("sub")) return {Role::kickOut, "sub", 0.75};
    if (w.word("top")) return {Role::overhead, "top", 0.7};
    if (w.has("high") && w.side() < 0) return {};
    return {};
}

std::string readableName(Role role, const NameWords& w) {
    const auto numbered = [&](const std::string& base, const char* meaning) {
        const std::string n = w.numberBehind(meaning);
        return n.empty() ? base : base + " " + n;
    };
    switch (role) {
        case Role::kickIn:
            return "Kick In";
        case Role::kickOut:
            return w.has("sub") || w.word("subkick") ? "Kick Sub" : "Kick Out";
        case Role::kick:
            return numbered("Kick", "kick");
        case Role::snareTop:
            return "Snare Top";
        case Role::snareBottom:
            return "Snare Bottom";
        case Role::snare:
            return numbered("Snare", "snare");
        case Role::hat:
            return "Hat";
        case Role::rackTom:
            return numbered(w.has("mid") ? "Mid Tom" : (w.has("high") ? "High Tom" : "Rack Tom"),
                            w.has("rack") ? "rack" : "tom");
        case Role::floorTom:
            return numbered("Floor Tom", w.has("floor") ? "floor" : "tom");
        case Role::tom:
            return numbered("Tom", "tom");
        case Role::ride:
            return w.word("bell") || w.word("ridebell") ? "Ride Bell" : "Ride";
        case Role::crash:
            return numbered(w.word("china")    ? "China"
                            : w.word("splash") ? "Splash"
                                               : "Crash",
                            "crash");
        case Role::overhead:
            return "Overhead";
        case Role::room:
            return w.has("far")                           ? "Room Far"
                   : w.word("near") || w.word("close")    ? "Room Near"
                   : w.word("crush") || w.word("crushed") ? "Room Crush"
                   : w.has("front") || w.word("fok")      ? "Front of Kit"
                   : w.word("hall") || w.word("hallway")  ? "Hall"
                                                          : "Room";
        case Role::kit:
            return w.word("knee") ? "Knee" : "Drums";
        case Role::sample:
        case Role::trigger: {
            const char* what = role == Role::sample ? " Sample" : " Trigger";
            return (w.has("snare")   ? std::string("Snare")
                    : w.has("tom")   ? numbered("Tom", "tom")
                    : w.has("floor") ? std::string("Floor Tom")
                    : w.has("kick")  ? std::string("Kick")
                                     : std::string("Drum")) +
                   what;
        }
        case Role::loop:
            return numbered("Loop", "loop");
        case Role::bass:
            return "Bass";
        case Role::reference:
            return "Reference";
        default:
            return {};
    }
}

// Sides of the kit that people name instead of left and right (as the drummer sits).
int kitSide(const NameWords& w) {
    if (!w.has("overhead") && !w.has("over")) return -1;
    if (w.hasAny({"hat", "snare"}) || w.word("hatside") || w.word("snareside")) return 0;
    if (w.hasAny({"floor", "ride"}) || w.word("floorside") || w.word("rideside")) return 1;
    return -1;
}

}  // namespace

NameReading readFileName(std::string_view stem) {
    const NameWords words(stem);
    const DrumWord reading = readingOf(words);
    NameReading out;
    out.role = reading.role;
    out.side = words.side();
    if (out.side < 0) out.side = kitSide(words);
    if (out.role == Role::unknown && *reading.word == '\0') return out;
    out.sure = reading.weak * std::max(0.6, words.sureOf(reading.word));
    if (std::string_view(reading.word) == "guest") {
        out.kind = RowKind::guest;
        out.readable = std::string(stem);
        return out;
    }
    if (out.role == Role::bass) out.kind = RowKind::guest;
    if (out.role == Role::reference) out.kind = RowKind::reference;
    out.readable = readableName(out.role, words);
    // What has a word of its own keeps it ("Cowbell").
    if (out.role == Role::percussion) {
        const int at = words.place("percussion");
        out.readable = words.tokens()[static_cast<std::size_t>(at)].text;
        out.readable[0] =
            static_cast<char>(std::toupper(static_cast<unsigned char>(out.readable[0])));
    }
    return out;
}

std::optional<int> pairOf(std::string_view first, std::string_view second) {
    const NameWords a(first), b(second);
    const NameReading x = readFileName(first), y = readFileName(second);
    if (x.role != y.role) return std::nullopt;
    const auto& s = a.tokens();
    const auto& t = b.tokens();
    if (x.side >= 0 && y.side >= 0 && x.side == y.side) return std::nullopt;
    // Otherwise the same words, but for one that tells the sides apart, and running numbers.
    const bool pairs = x.role == Role::overhead || x.role == Role::room || x.role == Role::kit;
    constexpr std::array<std::pair<const char*, const char*>, 9> opposite{{{"l", "r"},
                                                                           {"g", "d"},
                                                                           {"v", "h"},
                                                                           {"l", "p"},
                                                                           {"x", "y"},
                                                                           {"a", "b"},
                                                                           {"1", "2"},
                                                                           {"i", "d"},
                                                                           {"e", "d"}}};
    if (s.size() != t.size()) {
        return x.side >= 0 && y.side >= 0 && kitSide(a) >= 0 && kitSide(b) >= 0
                   ? std::optional<int>(x.side)
                   : std::nullopt;
    }
    std::optional<int> which;
    int numbers = 0;
    for (std::size_t i = 0; i < s.size(); ++i) {
        if (s[i].text == t[i].text) continue;
        const auto meaning = [&](const NameToken& token) -> int {
            const WordMeanings& means = meaningsOf(token.text);
            return means.contains("left") ? 0 : (means.contains("right") ? 1 : -1);
        };
        const int p = meaning(s[i]), q = meaning(t[i]);
        std::optional<int> here;
        if (p >= 0 && q >= 0 && p != q) here = p;
        // "ovhl" and "ovhr": one word with its side.
        if (!here && s[i].text.size() == t[i].text.size() && s[i].text.size() > 2 &&
            s[i].text.substr(0, s[i].text.size() - 1) ==
                t[i].text.substr(0, t[i].text.size() - 1)) {
            const char u = s[i].text.back(), v = t[i].text.back();
            if (u == 'l' && v == 'r') here = 0;
            if (u == 'r' && v == 'l') here = 1;
        }
        for (const auto& [l, r] : opposite) {
            const bool digits = std::isdigit(static_cast<unsigned char>(*l)) != 0;
            if (here || (digits && !(pairs && i > 0))) continue;
            if (s[i].text == l && t[i].text == r) here = 0;
            if (s[i].text == r && t[i].text == l) here = 1;
        }
        if (!here && x.side >= 0 && y.side >= 0 && kitSide(a) >= 0 && kitSide(b) >= 0)
            here = x.side;
        if (here) {
            if (which && *which != *here) return std::nullopt;
            which = here;
            continue;
        }
        // Recorders count their tracks.
        if (s[i].number && t[i].number && i == 0 && ++numbers == 1) continue;
        return std::nullopt;
    }
    return which;
}

}  // namespace ember
