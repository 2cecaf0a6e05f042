#include "core/measure/who/file_name.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <map>
#include <set>
#include <sstream>

namespace ember {
namespace {

constexpr const char* kWordList =
#include "core/measure/who/name_words.inc"
    ;

// What a word can mean, by the headings of the list; a word may stand under several.
using Meanings = std::set<std::string>;

const std::map<std::string, Meanings, std::less<>>& dictionary() {
    static const auto words = [] {
        std::map<std::string, Meanings, std::less<>> out;
        std::istringstream lines(kWordList);
        for (std::string line; std::getline(lines, line);) {
            const auto colon = line.find(':');
            if (line.starts_with('#') || colon == std::string::npos) continue;
            std::istringstream list(line.substr(colon + 1));
            for (std::string word; list >> word;) out[word].insert(line.substr(0, colon));
        }
        return out;
    }();
    return words;
}

struct Letter {
    std::string_view from;
    char to;
};
// Latin letters with marks, as UTF-8.
constexpr std::array<Letter, 40> kFolded{
    {{"ä", 'a'}, {"Ä", 'a'}, {"ö", 'o'}, {"Ö", 'o'}, {"ü", 'u'}, {"Ü", 'u'}, {"å", 'a'},
     {"Å", 'a'}, {"é", 'e'}, {"É", 'e'}, {"è", 'e'}, {"È", 'e'}, {"ê", 'e'}, {"ë", 'e'},
     {"á", 'a'}, {"à", 'a'}, {"â", 'a'}, {"ã", 'a'}, {"í", 'i'}, {"ì", 'i'}, {"î", 'i'},
     {"ó", 'o'}, {"ò", 'o'}, {"ô", 'o'}, {"õ", 'o'}, {"ú", 'u'}, {"ù", 'u'}, {"ç", 'c'},
     {"ñ", 'n'}, {"ł", 'l'}, {"Ł", 'l'}, {"ą", 'a'}, {"ę", 'e'}, {"ś", 's'}, {"ż", 'z'},
     {"ź", 'z'}, {"ć", 'c'}, {"ń", 'n'}, {"č", 'c'}, {"š", 's'}}};

// Lower case without marks; `starts` are places where a capital begins a word.
struct Folded {
    std::string text;
    std::vector<bool> start;
};

Folded fold(std::string_view name) {
    Folded out;
    bool lower = false;
    for (std::size_t i = 0; i < name.size();) {
        const std::string_view rest = name.substr(i);
        if (rest.starts_with("ß")) {
            out.text += "ss";
            out.start.insert(out.start.end(), {false, false});
            i += std::string_view("ß").size();
            continue;
        }
        const auto letter = std::find_if(kFolded.begin(), kFolded.end(),
                                         [&](const Letter& l) { return rest.starts_with(l.from); });
        if (letter != kFolded.end()) {
            out.text += letter->to;
            out.start.push_back(false);
            i += letter->from.size();
            lower = true;
            continue;
        }
        const auto c = static_cast<unsigned char>(name[i++]);
        const bool upper = std::isupper(c) != 0;
        // Where small letters end and a capital begins, and where the last of several capitals
        // begins a word of small ones.
        const bool next = i < name.size() && std::islower(static_cast<unsigned char>(name[i])) != 0;
        out.text += static_cast<char>(std::tolower(c));
        out.start.push_back(upper && (lower || next));
        lower = std::islower(c) != 0;
    }
    return out;
}

struct Token {
    std::string text;
    bool number = false;
    bool joined = false;  // cut out of a longer run of letters
};

constexpr std::size_t kLongest = 14;

// Letters that run together, cut into known words at the least cost: few and long ones, cut where a
// capital stands. What cannot be cut stays whole.
std::vector<Token> cut(const std::string& run, const std::vector<bool>& start) {
    const auto& words = dictionary();
    if (run.size() == 1 || words.contains(run)) return {{run, false, false}};
    const std::size_t n = run.size();
    std::vector<double> cost(n + 1, 1e9);
    std::vector<std::size_t> from(n + 1, 0);
    cost[0] = 0.0;
    for (std::size_t end = 1; end <= n; ++end) {
        for (std::size_t begin = end > kLongest ? end - kLongest : 0; begin < end; ++begin) {
            if (cost[begin] >= 1e9) continue;
            const std::string_view piece = std::string_view(run).substr(begin, end - begin);
            const std::size_t length = end - begin;
            const bool atStart = begin == 0 || start[begin], atEnd = end == n || start[end];
            double price = 0.0;
            if (words.contains(piece)) {
                price = length >= 4 ? 1.0 : (length == 3 ? 1.3 : 1.8);
                if (length == 1) {
                    // Single letters only end a run, and only as a side or as top and bottom.
                    if (end != n || (piece != "l" && piece != "r")) continue;
                    price = 1.9;
                }
            } else if (length == 1 && end == n && (piece == "t" || piece == "b" || piece == "m")) {
                price = 2.4;
            } else if (length >= 3 && atStart && atEnd) {
                price = 5.0 + 0.2 * static_cast<double>(length);  // a word nobody knows
            } else {
                continue;
            }
            price += (atStart ? 0.0 : 0.4) + (atEnd ? 0.0 : 0.4);
            if (cost[begin] + price < cost[end]) {
                cost[end] = cost[begin] + price;
                from[end] = begin;
            }
        }
    }
    if (cost[n] >= 1e9) return {{run, false, false}};
    std::vector<Token> out;
    for (std::size_t end = n; end > 0; end = from[end])
        out.push_back({run.substr(from[end], end - from[end]), false, true});
    std::reverse(out.begin(), out.end());
    return out;
}

std::vector<Token> tokensOf(std::string_view name) {
    const Folded folded = fold(name);
    const std::string& text = folded.text;
    std::vector<Token> out;
    for (std::size_t i = 0; i < text.size();) {
        const auto c = static_cast<unsigned char>(text[i]);
        std::size_t end = i;
        if (std::isdigit(c) != 0) {
            while (end < text.size() && std::isdigit(static_cast<unsigned char>(text[end])) != 0)
                ++end;
            out.push_back({text.substr(i, end - i), true, false});
        } else if (std::isalpha(c) != 0 || c >= 0x80) {
            const auto letter = [&](std::size_t k) {
                const auto u = static_cast<unsigned char>(text[k]);
                return std::isalpha(u) != 0 || u >= 0x80;
            };
            while (end < text.size() && letter(end)) ++end;
            const std::vector<bool> starts(folded.start.begin() + static_cast<std::ptrdiff_t>(i),
                                           folded.start.begin() + static_cast<std::ptrdiff_t>(end));
            for (Token& t : cut(text.substr(i, end - i), starts)) out.push_back(std::move(t));
        } else {
            ++i;
            continue;
        }
        i = end;
    }
    // "O/H", "H.H.": letters that stand alone but belong together.
    for (std::size_t i = 0; i + 1 < out.size();) {
        const bool pair = out[i].text.size() == 1 && out[i + 1].text.size() == 1 &&
                          (out[i].text == "o" || out[i].text == "h") && out[i + 1].text == "h";
        if (pair) {
            out[i].text += out[i + 1].text;
            out.erase(out.begin() + static_cast<std::ptrdiff_t>(i) + 1);
        } else {
            ++i;
        }
    }
    return out;
}

// The words of one name and questions about them.
class Words {
  public:
    explicit Words(std::string_view name) : tokens_(tokensOf(name)) {
        const auto& words = dictionary();
        for (const Token& t : tokens_) {
            const auto at = words.find(t.text);
            meanings_.push_back(at == words.end() ? Meanings{} : at->second);
        }
        for (std::size_t i = 0; i < tokens_.size(); ++i) alone(i);
    }

    [[nodiscard]] const std::vector<Token>& tokens() const { return tokens_; }
    [[nodiscard]] bool has(const char* meaning) const { return place(meaning) >= 0; }
    [[nodiscard]] bool hasAny(std::initializer_list<const char*> meanings) const {
        return std::any_of(meanings.begin(), meanings.end(), [&](const char* m) { return has(m); });
    }
    [[nodiscard]] int place(const char* meaning) const {
        for (std::size_t i = 0; i < meanings_.size(); ++i) {
            if (meanings_[i].contains(meaning)) return static_cast<int>(i);
        }
        return -1;
    }
    [[nodiscard]] bool word(std::string_view text) const {
        return std::any_of(tokens_.begin(), tokens_.end(),
                           [&](const Token& t) { return t.text == text; });
    }
    // How sure a word of this meaning makes: full words say more than letters.
    [[nodiscard]] double sureOf(const char* meaning) const {
        double best = 0.0;
        for (std::size_t i = 0; i < meanings_.size(); ++i) {
            if (!meanings_[i].contains(meaning)) continue;
            const std::size_t length = tokens_[i].text.size();
            const double sure = length >= 4   ? 0.97
                                : length == 3 ? 0.95
                                : length == 2 ? (tokens_[i].joined ? 0.85 : 0.9)
                                              : 0.78;
            best = std::max(best, sure);
        }
        return best;
    }
    [[nodiscard]] int side() const {
        for (std::size_t i = tokens_.size(); i-- > 0;) {
            if (meanings_[i].contains("left")) return 0;
            if (meanings_[i].contains("right")) return 1;
        }
        return -1;
    }
    // The number behind a word of this meaning, or the last one that is no take.
    [[nodiscard]] std::string numberBehind(const char* meaning) const {
        const int at = place(meaning);
        if (at < 0) return {};
        const auto next = static_cast<std::size_t>(at) + 1;
        if (next < tokens_.size() && tokens_[next].number && tokens_[next].text.size() <= 2) {
            const auto digit = tokens_[next].text.find_first_not_of('0');
            if (digit != std::string::npos && !tokens_[next].text.starts_with('0'))
                return tokens_[next].text;
        }
        return {};
    }

  private:
    // Letters that mean something only by what stands beside them.
    void alone(std::size_t i) {
        const std::string& text = tokens_[i].text;
        const auto with = [&](std::size_t k, const char* meaning) {
            return k < meanings_.size() && meanings_[k].contains(meaning);
        };
        const bool number = i + 1 < tokens_.size() && tokens_[i + 1].number;
        if (text == "t" && number && !has("snare")) meanings_[i] = {"tom"};
        if (text == "k" && (with(i + 1, "in") || with(i + 1, "out"))) meanings_[i] = {"kick"};
        if (text == "f" && with(i + 1, "tom")) meanings_[i] = {"floor"};
        if (text == "t" && i > 0 && (with(i - 1, "snare"))) meanings_[i] = {"top"};
        if (text == "b" && i > 0 && (with(i - 1, "snare"))) meanings_[i] = {"bottom"};
        if (text == "st" && with(i + 1, "snare")) meanings_[i] = {"noise"};
    }

    std::vector<Token> tokens_;
    std::vector<Meanings> meanings_;
};

struct DrumWord {
    Role role = Role::unknown;
    const char* word = "";  // the meaning it rests on
    double weak = 1.0;      // below 1 where the word alone could mean something else
};

DrumWord drumOf(const Words& w) {
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

DrumWord readingOf(const Words& w) {
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

std::string readableName(Role role, const Words& w) {
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
int kitSide(const Words& w) {
    if (!w.has("overhead") && !w.has("over")) return -1;
    if (w.hasAny({"hat", "snare"}) || w.word("hatside") || w.word("snareside")) return 0;
    if (w.hasAny({"floor", "ride"}) || w.word("floorside") || w.word("rideside")) return 1;
    return -1;
}

}  // namespace

NameReading readFileName(std::string_view stem) {
    const Words words(stem);
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
    const Words a(first), b(second);
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
        const auto meaning = [&](const Token& token) -> int {
            const auto at = dictionary().find(token.text);
            if (at == dictionary().end()) return -1;
            return at->second.contains("left") ? 0 : (at->second.contains("right") ? 1 : -1);
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
