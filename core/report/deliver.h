// What leaves the house, several things at once: mixes in several forms, stems, the strokes as
// MIDI, named by one pattern.
#pragma once

#include "core/engine/render.h"

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

// A form of the mix: "wav24", "wav16@44100", "flac24", "wav32" (float).
struct MixForm {
    bool flac = false;
    SampleDepth depth = SampleDepth::pcm24;
    int sampleRate = 0;  // Hz, 8000 to 192000; 0: the session's
    bool operator==(const MixForm&) const = default;
};
// Throws Error with what it takes.
MixForm mixFormFrom(std::string_view text);
// The same for people: "WAV, 16 bit, 44.1 kHz".
std::string mixFormText(const MixForm& form, int sessionRate);

// Names of files are made of these in braces, and of anything else that stays as it is.
inline constexpr std::string_view kUsualNames = "{song} {what}";
// "{song} {what} {rate} {bits}" for a mix: "Night bus mix 44.1 16". What no file system takes
// becomes a hyphen. Throws Error for braces that are none of the four, and for a pattern without
// {what}, by which all files would have one name.
std::string deliveredName(std::string_view pattern, const std::string& song,
                          const std::string& what, int rate, int bits);

struct DeliveryOrder {
    std::filesystem::path folder;  // made where it is not there
    std::string names{kUsualNames};
    std::vector<MixForm> mixes;
    bool stems = false;                 // of every element, before and through its buses
    bool groups = false;                // of every group, through its buses
    Returns returns = Returns::inside;  // of stems and groups
    bool strokes = false;               // as a MIDI file
    bool oneShots = false;              // of every drum, as the mix has it (report/one_shots.h)
    RenderOptions options;              // from, to, guests, tail
};

// "Stems and returns sum to", to go on with "the mix within …".
std::string sumsText(Returns returns);

struct Delivered {
    std::vector<std::filesystem::path> files;
    RenderReport mix;   // where a mix was asked for
    StemResidue stems;  // where stems were
    std::vector<std::string> remarks;
};

// Every file that an order would write, in the order of writing. Throws Error as deliver() does
// before it has written anything.
std::vector<std::filesystem::path> filesOf(const Session& session, const DeliveryOrder& order);

// Writes them, each complete or not at all: all mixes from one rendering, "song stems/" with the
// stems, "song one-shots/" with those. Recordings are never written over. Any thread; throws Error
// or Cancelled.
Delivered deliver(const Session& session, AudioStore& store, const DeliveryOrder& order,
                  const Progress& progress = {});

}  // namespace ember
