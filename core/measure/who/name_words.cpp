#include "core/measure/who/name_words.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <map>
#include <sstream>

namespace ember {
namespace {

constexpr const char* kWordList =
#include "core/measure/who/name_words.inc"
    ;

const std::map<std::string, WordMeanings, std::less<>>& dictionary() {
    static const auto words = [] {
        std::map<std::string, WordMeanings, std::less<>> out;
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

constexpr std::size_t kLongest = 14;

// Letters that run together, cut into known words at the least cost: few and long ones, cut where a
// capital stands. What cannot be cut stays whole.
std::vector<NameToken> cut(const std::string& run, const std::vector<bool>& start) {
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
    std::vector<NameToken> out;
    for (std::size_t end = n; end > 0; end = from[end])
        out.push_back({run.substr(from[end], end - from[end]), false, true});
    std::reverse(out.begin(), out.end());
    return out;
}

std::vector<NameToken> tokensOf(std::string_view name) {
    const Folded folded = fold(name);
    const std::string& text = folded.text;
    std::vector<NameToken> out;
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
            for (NameToken& t : cut(text.substr(i, end - i), starts)) out.push_back(std::move(t));
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

}  // namespace

const WordMeanings& meaningsOf(std::string_view word) {
    static const WordMeanings nothing;
    const auto at = dictionary().find(word);
    return at == dictionary().end() ? nothing : at->second;
}

NameWords::NameWords(std::string_view name) : tokens_(tokensOf(name)) {
    for (const NameToken& t : tokens_) meanings_.push_back(meaningsOf(t.text));
    for (std::size_t i = 0; i < tokens_.size(); ++i) alone(i);
}

double NameWords::sureOf(const char* meaning) const {
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

std::string NameWords::numberBehind(const char* meaning) const {
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

void NameWords::alone(std::size_t i) {
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

}  // namespace ember
