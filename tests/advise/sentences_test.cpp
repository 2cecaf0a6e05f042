// What people read over a kit that they named by hand: no machine id in any sentence.

#include "core/advise/proposal.h"
#include "core/advise/usual.h"
#include "core/measure/kit/spots.h"
#include "core/report/midi_write.h"
#include "core/session/diff.h"
#include "core/session/kit.h"
#include "tests/support/measured_kit.h"

#include <regex>

namespace ember {
namespace {

// Everything named by hand, with no word of an id in it.
Session named() {
    Session s = test::measuredKit().session;
    int n = 0;
    for (Row& row : s.rows) row.name = "Anton " + std::string(1, static_cast<char>('A' + n++));
    n = 0;
    for (Drum& drum : s.drums) drum.name = "Berta " + std::string(1, static_cast<char>('A' + n++));
    return s;
}

void expectWords(const std::string& sentence) {
    static const std::regex id(
        R"(\b(hihat|tom-\d|rack-tom|floor-tom|kick-in|kick-out|snare-top|snare-bottom|crash-\d|[a-z]+-bus)\b)");
    std::smatch found;
    EXPECT_FALSE(std::regex_search(sentence, found, id)) << sentence;
}

TEST(Sentences, HoldNoMachineIds) {
    const Session session = named();
    const KitMeasurement& m = test::measuredKit().kit;
    int count = 0;
    for (const auto gate : {GateSchool::byStrokes, GateSchool::byLevel}) {
        for (const auto align : {AlignSchool::withinDrum, AlignSchool::toOverheads}) {
            for (const auto dynamics :
                 {DynamicsSchool::punch, DynamicsSchool::density, DynamicsSchool::pair}) {
                Ways how;
                how.gate = gate;
                how.align = align;
                how.dynamics = dynamics;
                how.colour = ColourSchool::coloured;
                for (const Proposal& p : advise(session, m, how)) {
                    for (const std::string& text : {p.title, p.reason, p.school}) expectWords(text);
                    for (const Effect& e : p.effects) expectWords(e.what);
                    for (const std::string& usual : usualBeside(session, p)) expectWords(usual);
                    const Session accepted = accept(session, p, m.strokes);
                    for (const std::string& line : diff(session, accepted).sentences())
                        expectWords(line);
                    ++count;
                }
            }
        }
    }
    EXPECT_GT(count, 20);
    for (const FoundSpot& spot : findSpots(session, m, test::sharedStore())) {
        expectWords(spot.spot.name);
        expectWords(spot.reason);
    }
    Session edited = withNoteTarget(session, "floor-tom", 80.0);
    StrokeEdit gone{true, m.strokes.strokes.front()};
    edited.strokeEdits.push_back(gone);
    std::vector<Stroke> strokes = m.strokes.strokes;
    strokes.erase(strokes.begin());
    edited.strokes = Shared(std::move(strokes));
    for (const std::string& line : diff(session, edited).sentences()) expectWords(line);
    const test::TempFolder folder;
    writeStrokesMidi(session, m.strokes.strokes, folder / "strokes.mid");
    const std::string midi = test::readText(folder / "strokes.mid");
    expectWords(midi);
    EXPECT_NE(midi.find("Berta"), std::string::npos) << "tracks are called as the drums are";
}

}  // namespace
}  // namespace ember
