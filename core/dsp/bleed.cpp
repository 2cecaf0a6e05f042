#include "core/dsp/bleed.h"

namespace ember {
namespace {

const std::vector<Parameter>& bleedTable() {
    static const std::vector<Parameter> table{
        structuralParameter({"amount",
                             "Amount",
                             Unit::percent,
                             0.0,
                             100.0,
                             100.0,
                             Scale::linear,
                             "How much of all this is done, in dB: at half, −24 dB are −12.",
                             {}}),
        structuralParameter(
            {"floor",
             "Floor",
             Unit::dB,
             -60.0,
             0.0,
             -60.0,
             Scale::linear,
             "Nothing is turned down further than this at any moment: what is left of the others "
             "covers what taking them apart leaves behind.",
             {}}),
        structuralParameter({"soft",
                             "Softness",
                             Unit::milliseconds,
                             0.0,
                             200.0,
                             0.0,
                             Scale::linear,
                             "Over how long what is done to a band is evened out. Longer is "
                             "smoother, and lets more of "
                             "the others through around each stroke.",
                             {}}),
        structuralParameter(
            {"even",
             "Even Strokes",
             Unit::percent,
             0.0,
             100.0,
             0.0,
             Scale::linear,
             "Brings every stroke of the microphone's own drum, band by band, towards what is "
             "usual "
             "for one struck as hard: what rings, or lacks, on some strokes only. Their loudness "
             "stays. Over the whole kit it is done to every drum.",
             {}}),
        structuralParameter(
            {"crisp",
             "Soft Strokes",
             Unit::percent,
             0.0,
             100.0,
             0.0,
             Scale::linear,
             "Gives soft strokes the balance of hard ones: ghost notes get their crispness, and "
             "stay as soft as they are.",
             {}}),
        structuralParameter(
            {"room",
             "Own Room",
             Unit::dB,
             -60.0,
             12.0,
             0.0,
             Scale::linear,
             "Turns up or down the room that the drum itself excites in its own microphone; the "
             "lowest is silence. How loud the room is there is told by the other drums, against "
             "what microphones in the room hear of them.",
             {}}),
    };
    return table;
}

}  // namespace

ProcessorType bleedType() {
    return {"bleed",
            "Bleed",
            Column::gate,
            false,
            "Turns every drum that a microphone hears up or down by itself, and shapes its own.",
            "Power models of every drum in every microphone (Kokkinis, Reiss & Mourjopoulos, IEEE "
            "TASLP 20(3), 2012) played as soft Wiener masks that sum to one.",
            bleedTable(),
            [](const ProcessSpec&, std::span<const double>) -> std::unique_ptr<Processor> {
                return std::make_unique<Bleed>();
            }};
}

void Bleed::setValue(int index, double value) {
    (void)index;  // what is heard was worked out before it is played
    (void)value;
}

void Bleed::process(const AudioBlock& io, const AudioBlock& key) {
    (void)io;
    (void)key;
}

}  // namespace ember
