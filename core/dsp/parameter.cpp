#include "core/dsp/parameter.h"

#include "core/base/error.h"
#include "core/base/number.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>

namespace ember {
namespace {

std::string range(const Parameter& p) {
    return formatValue(p, p.minimum) + " to " + formatValue(p, p.maximum);
}

std::string lowered(std::string_view text) {
    std::string out;
    for (const char c : text) {
        if (std::isspace(static_cast<unsigned char>(c)) == 0) {
            out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        }
    }
    return out;
}

std::string accepted(const Parameter& p) {
    if (p.scale == Scale::toggle) return "on or off";
    if (p.scale != Scale::choice) return range(p);
    std::string list;
    for (std::size_t i = 0; i < p.choices.size(); ++i) {
        if (i > 0) list += i + 1 == p.choices.size() ? " or " : ", ";
        list += p.choices[i];
    }
    return list;
}

}  // namespace

int parameterIndex(ParameterTable table, std::string_view id) {
    for (std::size_t i = 0; i < table.size(); ++i) {
        if (table[i].id == id) return static_cast<int>(i);
    }
    return -1;
}

std::string formatValue(const Parameter& p, double value) {
    if (p.scale == Scale::toggle) return value >= 0.5 ? "on" : "off";
    if (p.scale == Scale::choice) {
        const auto index = static_cast<std::size_t>(std::clamp(value, 0.0, p.maximum));
        return index < p.choices.size() ? p.choices[index] : "?";
    }
    switch (p.unit) {
        case Unit::dB:
            if (p.minimum <= -89.0 && value <= p.minimum) return "silent";
            return numberText(value, 1) + " dB";
        case Unit::hertz:
            return value < 999.5 ? numberText(value, value < 99.95 ? 1 : 0) + " Hz"
                                 : numberText(value / 1000.0, 2) + " kHz";
        case Unit::milliseconds:
            return numberText(value,
                              std::abs(value) < 9.995 ? 2 : (std::abs(value) < 99.95 ? 1 : 0)) +
                   " ms";
        case Unit::percent:
            return numberText(value, 0) + " %";
        case Unit::ratio:
            return numberText(value, value < 9.95 ? 1 : 0) + ":1";
        case Unit::octaves:
            return numberText(value, 2) + " oct";
        case Unit::semitones:
            return numberText(value, 2) + " st";
        case Unit::none:
            break;
    }
    return numberText(value, 2);
}

std::span<const std::string> noteValues() {
    static const std::vector<std::string> all = [] {
        std::vector<std::string> notes;
        for (int part = 1; part <= 64; part *= 2) {
            for (const char* kind : {".", "", "t"})
                notes.push_back("1/" + std::to_string(part) + kind);
        }
        return notes;
    }();
    return all;
}

double noteMilliseconds(std::string_view note, double tempo) {
    const auto all = noteValues();
    const auto at = std::find(all.begin(), all.end(), note);
    if (at == all.end() || tempo <= 0.0) return 0.0;
    const auto index = static_cast<int>(at - all.begin());
    constexpr std::array<double, 3> kinds{1.5, 1.0, 2.0 / 3.0};
    // 1/1 is four quarters.
    return 4.0 * std::exp2(-(index / 3)) * kinds[static_cast<std::size_t>(index % 3)] * 60000.0 /
           tempo;
}

double parseValue(const Parameter& p, std::string_view text, double tempo) {
    const std::string typed = lowered(text);
    const auto refuse = [&]() -> Error {
        return Error(p.label + " takes " + accepted(p) + ", not “" + std::string(text) + "”.");
    };
    if (p.scale == Scale::toggle) {
        if (typed == "on" || typed == "1" || typed == "true" || typed == "yes") return 1.0;
        if (typed == "off" || typed == "0" || typed == "false" || typed == "no") return 0.0;
        throw refuse();
    }
    if (p.scale == Scale::choice) {
        for (std::size_t i = 0; i < p.choices.size(); ++i) {
            if (lowered(p.choices[i]) == typed) return static_cast<double>(i);
        }
        throw refuse();
    }
    if (p.unit == Unit::dB && p.minimum <= -89.0 &&
        (typed == "silent" || typed == "-inf" || typed == "off")) {
        return p.minimum;
    }
    if (p.unit == Unit::milliseconds && typed.find('/') != std::string::npos) {
        const double note = noteMilliseconds(typed, tempo);
        if (note < p.minimum || note > p.maximum || note <= 0.0) throw refuse();
        return note;
    }
    std::string plain = typed;
    for (std::size_t at = 0; (at = plain.find("\xE2\x88\x92", at)) != std::string::npos;) {
        plain.replace(at, 3, "-");  // a typographic minus
    }
    std::replace(plain.begin(), plain.end(), ',', '.');
    std::size_t used = 0;
    double value = 0.0;
    try {
        value = std::stod(plain, &used);
    } catch (const std::exception&) {
        throw refuse();
    }
    const std::string rest = plain.substr(used);
    const bool time = p.unit == Unit::milliseconds, pitch = p.unit == Unit::hertz;
    if (pitch && (rest == "k" || rest == "khz")) {
        value *= 1000.0;
    } else if (time && rest == "s") {
        value *= 1000.0;
    } else if (!(rest.empty() || (p.unit == Unit::dB && rest == "db") || (pitch && rest == "hz") ||
                 (time && rest == "ms") || (p.unit == Unit::percent && rest == "%") ||
                 (p.unit == Unit::ratio && rest == ":1") ||
                 (p.unit == Unit::octaves && rest == "oct") ||
                 (p.unit == Unit::semitones && (rest == "semitones" || rest == "st")))) {
        throw refuse();
    }
    if (!std::isfinite(value) || value < p.minimum || value > p.maximum) throw refuse();
    return value;
}

double toPosition(const Parameter& p, double value) {
    value = std::clamp(value, p.minimum, p.maximum);
    if (p.scale == Scale::logarithmic)
        return std::log(value / p.minimum) / std::log(p.maximum / p.minimum);
    return p.maximum > p.minimum ? (value - p.minimum) / (p.maximum - p.minimum) : 0.0;
}

double fromPosition(const Parameter& p, double position) {
    position = std::clamp(position, 0.0, 1.0);
    if (p.scale == Scale::logarithmic) {
        return std::clamp(p.minimum * std::pow(p.maximum / p.minimum, position), p.minimum,
                          p.maximum);
    }
    const double value = p.minimum + position * (p.maximum - p.minimum);
    return p.scale == Scale::linear ? value : std::round(value);
}

}  // namespace ember
