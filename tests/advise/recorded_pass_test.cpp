// The first pass accepted whole on drums that were recorded, in either school: what it promised,
// and what it must never do. ./run accuracy takes more kits than the tests.

#include "core/advise/common.h"
#include "core/advise/proposal.h"
#include "core/base/number.h"
#include "core/engine/render.h"
#include "core/report/ledger.h"
#include "tests/support/accuracy.h"
#include "tests/support/kit_truth.h"
#include "tests/support/measured_kit.h"
#include "tests/support/recorded_kit.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

struct RecordedSchool {
    const char* name;
    Ways how;
};
const RecordedSchool kRecordedSchools[] = {
    {"strokes, punch, clean", {}},
    {"level, density, coloured",
     {AlignSchool::toOverheads, GateSchool::byLevel, EqSchool::later, DynamicsSchool::density,
      ColourSchool::coloured}},
};

// Energy of the half second from each of these times on, or until the next.
double energyAfter(const AudioBuffer& audio, const std::vector<double>& times, double rate) {
    double sum = 1e-12;
    for (std::size_t n = 0; n < times.size(); ++n) {
        const double end =
            n + 1 < times.size() ? std::min(times[n] + 0.5, times[n + 1] - 0.01) : times[n] + 0.5;
        const auto from = static_cast<std::size_t>(std::max(0.0, (times[n] - 0.002) * rate)),
                   to = static_cast<std::size_t>(std::max(0.0, end * rate));
        for (const auto& channel : audio.channels) {
            for (std::size_t i = from; i < std::min(to, channel.size()); ++i)
                sum += static_cast<double>(channel[i]) * static_cast<double>(channel[i]);
        }
    }
    return sum;
}

// A recorded kit, and each of its drums as if nobody had struck the others.
class RecordedSession {
  public:
    RecordedSession(int number, bool small)
        : kit_(test::recordedKit(test::Half::judged, number, demo::MicSet::full, 30.0, small)),
          measured_(kit_.options, kit_.sound) {}

    [[nodiscard]] const test::MeasuredKit& measured() const { return measured_; }

    // What a gate takes from the drum alone, dB over those of its strokes that were heard
    // (negative: lost).
    [[nodiscard]] double bodyKeptDb(const Session& accepted, const std::string& row,
                                    demo::Drum drum) const {
        std::vector<double> times;
        for (const Stroke& s : measured_.kit.strokes.strokes) {
            if (s.drum == test::kDrumIds[static_cast<std::size_t>(drum)]) times.push_back(s.time);
        }
        const test::TempFolder folder;
        const demo::Sound alone = [&](demo::Drum d, const std::vector<demo::Stroke>& strokes,
                                      const demo::KitOptions& o) {
            demo::Radiation out = kit_.sound(d, strokes, o);
            if (d == drum) return out;
            std::fill(out.first.begin(), out.first.end(), 0.0F);
            std::fill(out.second.begin(), out.second.end(), 0.0F);
            return out;
        };
        demo::writeRecording(demo::record(kit_.options, alone), folder / "kit");
        Session session = withOnlyRows(accepted, {row, mainRow(accepted)});
        const auto play = [&](bool gated) {
            Session s = session;
            for (Row& r : s.rows) {
                for (Stage& stage : r.chain) {
                    if (stage.type == "seat") stage = makeStage("seat");
                    if (stage.type == "align") stage = makeStage("align");
                    if (stage.type != "seat" && stage.type != "align")
                        stage.on = gated && stage.type == "gate";
                }
                for (Source& source : r.sources)
                    source.file =
                        (folder / "kit" / std::filesystem::path(source.file).filename()).string();
            }
            return energyAfter(renderMix(s, test::sharedStore(), {}), times, s.sampleRate);
        };
        return 10.0 * std::log10(play(true) / play(false));
    }

  private:
    test::RecordedKit kit_;
    test::MeasuredKit measured_;
};

TEST(RecordedFirstPass, DoesWhatItSaysAndHarmsNothing) {
    if (!test::haveSmallSet()) FAIL() << "install timgm6mb-soundfont: ./run test does";
    const bool many = test::allKits() && test::haveLargeSet();
    struct Result {
        double bleed = 0.0, sum = 100.0, crest = 0.0, headroom = 100.0, ghosts = 0.0, found = 0.0,
               body = 0.0;
        int gates = 0, said = 0, kept = 0, wrongRows = 0;
        std::string broken;
    } results[2];
    for (int n = 0; n < (many ? 6 : 1); ++n) {
        const RecordedSession recorded(n, !many);
        const test::MeasuredKit& m = recorded.measured();
        RenderReport before;
        (void)renderMix(m.session, test::sharedStore(), {}, &before);
        for (std::size_t school = 0; school < std::size(kRecordedSchools); ++school) {
            Result& r = results[school];
            std::vector<Proposal> all = advise(m.session, m.kit, kRecordedSchools[school].how);
            Session accepted = m.session;
            for (const Proposal& p : all) accepted = accept(std::move(accepted), p, m.kit.strokes);
            ASSERT_EQ(validate(accepted), "");
            for (Proposal& p : all) {
                const Row& row = requireRow(accepted, p.row);
                if (p.step == "gate" &&
                    (row.role == Role::overhead || row.role == Role::room || isUnsure(row)))
                    ++r.wrongRows;
                measureEffects(p, accepted, m.kit, test::sharedStore());
                for (const Effect& e : p.effects) {
                    if (!e.measured || !e.predicted) continue;
                    const bool unsure =
                        p.confidence <= 0.5 || p.reason.find("unsure") != std::string::npos;
                    ++r.said;
                    const bool close =
                        std::abs(*e.measured - *e.predicted) <= (e.unit == "%" ? 3.0 : 1.0);
                    r.kept += close || unsure ? 1 : 0;
                    if (!close && !unsure)
                        r.broken += std::to_string(n) + " " + p.id + " · " + e.what + ": was " +
                                    numberText(e.before.value_or(0.0), 2) + ", said " +
                                    numberText(*e.predicted, 2) + ", is " +
                                    numberText(*e.measured, 2) + "\n";
                    if (e.what == "bleed between strokes") {
                        r.bleed += *e.measured;
                        ++r.gates;
                    }
                    if (e.what == "ghost notes kept") {
                        ++r.found;
                        r.ghosts += *e.measured;
                    }
                    if (p.step == "align" && e.before && e.unit == "dB")
                        r.sum = std::min(r.sum, *e.measured - *e.before);
                }
                const auto drum = std::find(test::kDrumIds.begin(), test::kDrumIds.end(), p.drum);
                if (p.step == "gate" && drum != test::kDrumIds.end()) {
                    const double kept = recorded.bodyKeptDb(
                        accepted, p.row, static_cast<demo::Drum>(drum - test::kDrumIds.begin()));
                    r.body = std::min(r.body, kept);
                    if (kept < -0.5)
                        r.broken += std::to_string(n) + " " + p.id + ": takes " +
                                    numberText(-kept, 2) + " dB of the body: " + p.reason + "\n";
                }
            }
            RenderReport after;
            (void)renderMix(accepted, test::sharedStore(), {}, &after);
            const auto crest = [](const RenderReport& x) {
                return x.loudness.truePeak - x.loudness.integrated;
            };
            if (std::abs(crest(after) - crest(before)) > std::abs(r.crest))
                r.crest = crest(after) - crest(before);
            r.headroom = std::min(r.headroom, -after.loudness.truePeak);
        }
    }
    for (std::size_t school = 0; school < std::size(kRecordedSchools); ++school) {
        const Result& r = results[school];
        const std::string what =
            std::string("first pass on recorded drums (") + kRecordedSchools[school].name + "): ";
        ASSERT_GT(r.gates, 0);
        const double bleed = r.bleed / r.gates, kept = 100.0 * r.kept / std::max(1, r.said);
        test::accuracy(what + "bleed between strokes", "< 0 dB", bleed, "dB", bleed < 0.0);
        test::accuracy(what + "low-end sums, worst change", ">= 0 dB", r.sum, "dB", r.sum >= -0.05);
        test::accuracy(what + "crest of the mix, largest change", "within 1 dB", r.crest, "dB",
                       std::abs(r.crest) <= 1.0);
        test::accuracy(what + "headroom left", ">= 3 dB", r.headroom, "dB", r.headroom >= 3.0);
        test::accuracy(what + "effects as foretold within 1 dB, or said to be unsure", "100 %",
                       kept, "%", r.kept == r.said);
        test::accuracy(what + "most body that a gate takes", "<= 0.5 dB", -r.body, "dB",
                       r.body >= -0.5);
        if (r.found > 0.0)
            test::accuracy(what + "detected ghost notes kept", ">= 97 %", r.ghosts / r.found, "%",
                           r.ghosts / r.found >= 97.0);
        EXPECT_EQ(r.wrongRows, 0);
        EXPECT_LT(bleed, 0.0);
        EXPECT_GE(r.headroom, 3.0);
        EXPECT_GE(r.body, -0.5) << r.broken;
        EXPECT_GE(kept, 75.0) << r.broken;
    }
}

}  // namespace
}  // namespace ember
