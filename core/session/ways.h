// The person's way of working, step by step: what is proposed follows it.
#pragma once

namespace ember {

// Two ways of aligning: everything to the overheads, or only the microphones of one drum to each
// other.
enum class AlignSchool { withinDrum, toOverheads };
// What other drums give a microphone: left, or half of it where it stands in the way; or taken
// before anything lifts it.
enum class BleedSchool { natural, clean };
// A gate opened by the strokes themselves, or by a level; the level gate says when it must lose
// some.
enum class GateSchool { byStrokes, byLevel };
// What the compressor hears: a drum that is cleaned already, or the drum as it was played.
enum class EqSchool { first, later };
// Slow attack that lets the stick through, a fast one that catches it, or two in series that share
// the work.
enum class DynamicsSchool { punch, density, pair };
// As recorded, or bent a little.
enum class ColourSchool { clean, coloured };

// Pressed a little together and set into a space, or left dry with hard parallels beside it.
enum class BusSchool { glue, parallels };

struct Ways {
    AlignSchool align = AlignSchool::withinDrum;
    GateSchool gate = GateSchool::byStrokes;
    EqSchool eq = EqSchool::first;
    DynamicsSchool dynamics = DynamicsSchool::punch;
    ColourSchool colour = ColourSchool::clean;
    BusSchool bus = BusSchool::glue;
    BleedSchool bleed = BleedSchool::natural;
    bool operator==(const Ways&) const = default;
};

}  // namespace ember
