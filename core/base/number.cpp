#include "core/base/number.h"

#include <fmt/format.h>

#include <cmath>
#include <string_view>

namespace ember {

std::string plainText(double value, int decimals) {
    return fmt::format("{:.{}f}", value, decimals);
}

std::string numberText(double value, int decimals) {
    if (std::isnan(value)) return "–";
    const std::string size = plainText(std::abs(value), decimals);
    // What is rounded to nothing has no sign.
    const bool nothing = size.find_first_not_of("0.") == std::string::npos;
    return std::signbit(value) && !nothing ? "−" + size : size;
}

std::string changeText(double value, int decimals) {
    const std::string text = numberText(value, decimals);
    const bool rises = value > 0.0 && text.find_first_not_of("0.") != std::string::npos;
    return rises ? "+" + text : text;
}

std::string kilohertzText(int rate) {
    std::string text = plainText(rate / 1000.0, 3);
    text.erase(text.find_last_not_of('0') + 1);
    if (text.back() == '.') text.pop_back();
    return text;
}

std::string hertzText(double hertz) {
    return hertz >= 1000.0 ? numberText(hertz / 1000.0, 1) + " kHz" : numberText(hertz, 0) + " Hz";
}

}  // namespace ember
