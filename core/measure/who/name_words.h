// The words of a file's name: joined and capital words split, accents folded, and what each can
// mean.
#pragma once

#include <algorithm>
#include <cstddef>
#include <initializer_list>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

// What a word can mean, by the headings of the list; a word may stand under several.
using WordMeanings = std::set<std::string>;

// Of a word as the list has it; nothing of one it does not know.
const WordMeanings& meaningsOf(std::string_view word);

struct NameToken {
    std::string text;
    bool number = false;
    bool joined = false;  // cut out of a longer run of letters
};

// The words of one name and questions about them.
class NameWords {
  public:
    explicit NameWords(std::string_view name);

    [[nodiscard]] const std::vector<NameToken>& tokens() const { return tokens_; }
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
                           [&](const NameToken& t) { return t.text == text; });
    }
    // How sure a word of this meaning makes: full words say more than letters.
    [[nodiscard]] double sureOf(const char* meaning) const;
    [[nodiscard]] int side() const {
        for (std::size_t i = tokens_.size(); i-- > 0;) {
            if (meanings_[i].contains("left")) return 0;
            if (meanings_[i].contains("right")) return 1;
        }
        return -1;
    }
    // The number behind a word of this meaning, or the last one that is no take.
    [[nodiscard]] std::string numberBehind(const char* meaning) const;

  private:
    // Letters that mean something only by what stands beside them.
    void alone(std::size_t i);

    std::vector<NameToken> tokens_;
    std::vector<WordMeanings> meanings_;
};

}  // namespace ember
