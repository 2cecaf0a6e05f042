#include "core/session/layer.h"

namespace ember {
namespace {

// In the order of Layer::Index.
std::vector<Parameter> makeTable() {
    const auto choice = [](const char* id, const char* label, std::vector<std::string> choices,
                           const char* doc) {
        const double last = static_cast<double>(choices.size()) - 1.0;
        return Parameter{
            id, label, Unit::none, 0.0, last, 0.0, Scale::choice, doc, std::move(choices)};
    };
    const auto toggle = [](const char* id, const char* label, bool standard, const char* doc) {
        return Parameter{id,  label, Unit::none, 0.0, 1.0, standard ? 1.0 : 0.0, Scale::toggle,
                         doc, {}};
    };
    const auto number = [](const char* id, const char* label, Unit unit, double low, double high,
                           double standard, const char* doc, Scale scale = Scale::linear) {
        return Parameter{id, label, unit, low, high, standard, scale, doc, {}};
    };
    return {
        toggle("on", "On", true, "Whether the layer is heard."),
        choice("part", "Part", {"body", "attack", "texture", "tail"},
               "What the layer gives the hit: weight, the stick, what lies over it, or what rings "
               "on."),
        number("level", "Level", Unit::dB, -60.0, 12.0, 0.0, "How loud the layer is in the stack."),
        number("pan", "Pan", Unit::percent, -100.0, 100.0, 0.0,
               "Place in the stack between left (-100) and right (100), by the laws of the seat."),
        toggle("polarity", "Polarity turned", false,
               "Turns the sound over where it would otherwise take from the others."),
        number("offset", "Offset", Unit::milliseconds, -200.0, 500.0, 0.0,
               "How much later than the stroke it starts; earlier below zero."),
        number("start", "Start", Unit::milliseconds, 0.0, 10000.0, 0.0,
               "Where in the file it begins: cuts away what lies before the stick."),
        number("length", "Length", Unit::milliseconds, 0.0, 20000.0, 0.0,
               "How much of it is played; 0: to its end."),
        number("fade-in", "Fade in", Unit::milliseconds, 0.0, 500.0, 0.0,
               "How long it takes to be there: softens the stick of a layer that gives body."),
        number("fade-out", "Fade out", Unit::milliseconds, 0.0, 5000.0, 5.0,
               "How long it takes to go, at its end and where it is cut short."),
        number("pitch", "Pitch", Unit::semitones, -24.0, 24.0, 0.0,
               "Higher or lower, as a tape played faster or slower: the length goes with it."),
        toggle("keep-length", "Length stays", false,
               "The pitch alone moves; the sound stays as long as it is, and its stick where it "
               "was."),
        number("low-cut", "Low cut", Unit::hertz, 10.0, 5000.0, 10.0,
               "Takes away what lies below: one layer alone should own the lows. 10 Hz: off.",
               Scale::logarithmic),
        number("high-cut", "High cut", Unit::hertz, 200.0, 22000.0, 22000.0,
               "Takes away what lies above. 22 kHz: off.", Scale::logarithmic),
        choice("slope", "Slope, dB/octave", {"12", "24", "48"}, "How steep both cuts are."),
        number("resonance", "Resonance", Unit::dB, 0.0, 18.0, 0.0,
               "Raises what lies at the corner of both cuts: a low cut that rings at the drum's "
               "note takes the mud and gives the note."),
        number("drive", "Drive", Unit::dB, 0.0, 36.0, 0.0,
               "Bends the sound behind the cuts; its peak stays, what is soft comes up."),
        choice("struck-by", "Struck by", {"all", "accents", "above", "every-nth", "share"},
               "Which strokes start it: all, accents, those above a velocity, every Nth, or a "
               "share of them at random."),
        number("above", "Above", Unit::percent, 0.0, 100.0, 50.0,
               "The velocity from which on strokes start it, where it is struck by velocity."),
        number("every", "Every", Unit::none, 1.0, 16.0, 2.0,
               "Every how many strokes it is started, where it is struck by every Nth."),
        number("first", "First", Unit::none, 1.0, 16.0, 1.0, "Which stroke of them is the first."),
        number("share", "Share", Unit::percent, 0.0, 100.0, 50.0,
               "How many of the strokes start it, where a share does; the same ones each time."),
        choice("way", "Way", {"any", "usual", "other"},
               "Which way of striking starts it: an open hat, a cross-stick, a bell are the other "
               "one."),
        toggle("spare-ghosts", "Spare ghosts", true,
               "Leaves ghost notes as they were played: support stays away from them."),
        toggle("spare-flams", "Spare grace notes", true,
               "Starts it with the stroke of a flam and not with its grace note."),
        number("follow", "Follow", Unit::percent, 0.0, 100.0, 100.0,
               "How far its level follows the stroke: 100 as the drum does, 0 always the same, so "
               "that it lies under a dynamic drum."),
        number("choke", "Choke group", Unit::none, 0.0, 8.0, 0.0,
               "A layer of a group ends when another of it starts, or the same one again: a closed "
               "hat ends the open one. 0: it rings on."),
    };
}

}  // namespace

ParameterTable layerTable() {
    static const std::vector<Parameter> table = makeTable();
    return table;
}

}  // namespace ember
