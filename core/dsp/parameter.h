// The parameter table: one description from which the editor, the session file,
// the command line, automation, the recall sheet and the tests all read.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

enum class Unit { none, dB, hertz, milliseconds, percent, ratio, octaves, semitones };

// How a slider maps to values. `logarithmic` needs a positive range.
enum class Scale { linear, logarithmic, toggle, choice };

struct Parameter {
    std::string id;     // stable name in files and on the command line: "threshold", "b3.gain"
    std::string label;  // what a person reads: "Threshold"
    Unit unit = Unit::none;
    double minimum = 0.0, maximum = 1.0, standard = 0.0;  // inclusive range and default
    Scale scale = Scale::linear;
    std::string doc;                   // what it does and why one would use it
    std::vector<std::string> choices;  // ids of a choice, by value 0, 1, 2 ...
    bool structural = false;           // a change alters latency: a new plan is compiled
};

// One that changes latency or what a plan holds.
inline Parameter structuralParameter(Parameter parameter) {
    parameter.structural = true;
    return parameter;
}

using ParameterTable = std::span<const Parameter>;

// Index of the parameter called `id`, or -1.
int parameterIndex(ParameterTable table, std::string_view id);

// Value as a person reads it, with its unit: "-32.0 dB", "4.0 kHz", "bell".
std::string formatValue(const Parameter& parameter, double value);

// Reads what a person typed ("-3", "2.5k", "80 Hz", "bell", "on"). A time may be a note value of
// `tempo` (quarter notes a minute): "1/8", dotted "1/8.", triplet "1/8t". Throws Error that says
// what is accepted when it is no number, not finite, or out of range.
double parseValue(const Parameter& parameter, std::string_view text, double tempo = 0.0);

// The note values one meets, longest first: "1/1" to "1/64" with "." and "t".
std::span<const std::string> noteValues();
// Milliseconds of a note value at `tempo` > 0; 0 when the text is none.
double noteMilliseconds(std::string_view note, double tempo);

// Position 0..1 of a value on its scale, and back (rounded for toggles and choices).
double toPosition(const Parameter& parameter, double value);
double fromPosition(const Parameter& parameter, double position);

}  // namespace ember
