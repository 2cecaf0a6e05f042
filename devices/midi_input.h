// Notes from a MIDI keyboard or pads, through RtMidi and the system's sequencer.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace ember {

// A note that was struck; releases are not told.
struct MidiStrike {
    int key = 0;            // 0..127
    double velocity = 0.0;  // over 0, to 1
};
// Called on the input's own thread.
using MidiCallback = std::function<void(const MidiStrike&)>;

// An open input; it closes with this.
class MidiInput {
  public:
    MidiInput() = default;
    virtual ~MidiInput() = default;
    MidiInput(const MidiInput&) = delete;
    MidiInput& operator=(const MidiInput&) = delete;
};

// Names of what is plugged in. None where there is no sequencer on the machine.
std::vector<std::string> listMidiInputs();
// Null where it cannot be opened, and `why` says so in a sentence.
std::unique_ptr<MidiInput> openMidiInput(const std::string& name, MidiCallback callback,
                                         std::string& why);

// Where inputs come from; tests have their own.
struct MidiPorts {
    std::function<std::vector<std::string>()> list = listMidiInputs;
    std::function<std::unique_ptr<MidiInput>(const std::string&, MidiCallback, std::string&)> open =
        openMidiInput;
};

// The note in a MIDI message's bytes; false where they are none that was struck. Pure.
bool strikeIn(const std::vector<unsigned char>& message, MidiStrike& strike);

}  // namespace ember
