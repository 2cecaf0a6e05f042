#include "devices/midi_input.h"

#include <gtest/gtest.h>

namespace ember {
namespace {

TEST(MidiInput, NotesThatAreStruckAndNothingElse) {
    MidiStrike strike;
    ASSERT_TRUE(strikeIn({0x99, 38, 127}, strike));
    EXPECT_EQ(strike.key, 38);
    EXPECT_EQ(strike.velocity, 1.0);
    ASSERT_TRUE(strikeIn({0x90, 0, 1}, strike)) << "any channel";
    EXPECT_NEAR(strike.velocity, 1.0 / 127.0, 1e-12);
    using Bytes = std::vector<unsigned char>;
    for (const Bytes& other : {Bytes{0x99, 38, 0}, Bytes{0x89, 38, 64}, Bytes{0xB9, 4, 90},
                               Bytes{0xF8}, Bytes{0x99, 38}, Bytes{}})
        EXPECT_FALSE(strikeIn(other, strike));
}

TEST(MidiInput, WhatIsNotPluggedInIsSaid) {
    std::string why;
    EXPECT_EQ(openMidiInput(
                  "No Such Keyboard", [](const MidiStrike&) {}, why),
              nullptr);
    EXPECT_NE(why.find("plugged in"), std::string::npos);
    for (const std::string& name : listMidiInputs()) EXPECT_FALSE(name.empty());
}

}  // namespace
}  // namespace ember
