#include "devices/midi_input.h"

#include <rtmidi/RtMidi.h>

#include <exception>
#include <filesystem>
#include <utility>

namespace ember {
namespace {

// What RtMidi would print is said by who asked.
void keepQuiet(RtMidiError::Type, const std::string&, void*) {}

class RtMidiInput : public MidiInput {
  public:
    // Throws RtMidiError.
    RtMidiInput(unsigned int port, MidiCallback callback)
        : callback_(std::move(callback)), midi_(RtMidi::LINUX_ALSA, "Ember Cask") {
        midi_.setErrorCallback(keepQuiet);
        midi_.setCallback(&RtMidiInput::take, this);
        midi_.openPort(port, "pads");
    }

  private:
    static void take(double, std::vector<unsigned char>* message, void* self) {
        MidiStrike strike;
        if (message != nullptr && strikeIn(*message, strike))
            static_cast<RtMidiInput*>(self)->callback_(strike);
    }

    MidiCallback callback_;
    RtMidiIn midi_;
};

// Every port of the sequencer; each(port, name) until it says stop. RtMidi writes to the terminal
// where there is none.
template <typename Each>
void eachPort(Each each) {
    std::error_code code;
    if (!std::filesystem::exists("/dev/snd/seq", code)) return;
    try {
        RtMidiIn midi(RtMidi::LINUX_ALSA, "Ember Cask");
        midi.setErrorCallback(keepQuiet);
        for (unsigned int port = 0; port < midi.getPortCount(); ++port) {
            if (!each(port, midi.getPortName(port))) return;
        }
    } catch (const std::exception&) {
        return;  // nobody may use it
    }
}

}  // namespace

bool strikeIn(const std::vector<unsigned char>& message, MidiStrike& strike) {
    constexpr int kNoteOn = 0x90;
    if (message.size() < 3 || (message[0] & 0xF0) != kNoteOn || message[2] == 0) return false;
    strike.key = message[1] & 0x7F;
    strike.velocity = (message[2] & 0x7F) / 127.0;
    return true;
}

std::vector<std::string> listMidiInputs() {
    std::vector<std::string> out;
    eachPort([&](unsigned int, const std::string& name) {
        // Its own ports are no keyboard.
        if (name.find("Ember Cask") == std::string::npos) out.push_back(name);
        return true;
    });
    return out;
}

std::unique_ptr<MidiInput> openMidiInput(const std::string& name, MidiCallback callback,
                                         std::string& why) {
    std::unique_ptr<MidiInput> out;
    why = "“" + name +
          "” is not plugged in; choose another input, or plug it in and open the pads "
          "again.";
    eachPort([&](unsigned int port, const std::string& known) {
        if (known != name) return true;
        try {
            out = std::make_unique<RtMidiInput>(port, std::move(callback));
            why.clear();
        } catch (const std::exception& error) {
            why = "“" + name + "” cannot be opened (" + error.what() +
                  "); another program may hold it.";
        }
        return false;
    });
    return out;
}

}  // namespace ember
