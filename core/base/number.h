// Numbers as people read them, the same everywhere: a true minus sign, never "−0.0", a fixed count
// of decimals. What machines read (CSV, cache keys) takes plainText.
#pragma once

#include <string>

namespace ember {

// "3.5", "−3.5", "0.0"; what is no number reads "–".
std::string numberText(double value, int decimals);
// The same with its sign, for what is a change: "+3.5", "−3.5", "0.0".
std::string changeText(double value, int decimals);
// A sample rate in kHz, with the decimals it has: "48", "44.1", "22.05".
std::string kilohertzText(int rate);
// "350 Hz", "1.2 kHz".
std::string hertzText(double hertz);
// As programs write it, with a hyphen: "-3.500".
std::string plainText(double value, int decimals);

}  // namespace ember
