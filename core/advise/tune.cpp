// A drum's note against the one a person wants of it.

#include "core/advise/common.h"
#include "core/base/number.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kOffSemitones = 0.1, kMostSemitones = 12.0;

}  // namespace

std::vector<Proposal> adviseTune(const Session& session, const KitMeasurement& m) {
    std::vector<Proposal> out;
    for (const Row& row : session.rows) {
        const std::string drum = drumOfRow(session, row.id);
        const double wanted = noteTarget(session, drum);
        if (row.kind != RowKind::element || drum.empty() || wanted <= 0.0) continue;
        const auto tone = std::find_if(m.tone.begin(), m.tone.end(),
                                       [&](const DrumTone& t) { return t.drum == drum; });
        if (tone == m.tone.end() || tone->fundamental <= 0.0) continue;
        const double semitones = 12.0 * std::log2(wanted / tone->fundamental);
        if (std::abs(semitones) < kOffSemitones || std::abs(semitones) > kMostSemitones) continue;
        const auto existing = std::find_if(row.chain.begin(), row.chain.end(),
                                           [](const Stage& s) { return s.type == "stroke"; });
        Proposal p;
        p.id = row.id + ".tune";
        p.step = "repair";
        p.row = row.id;
        p.stageType = "stroke";
        p.stage = existing == row.chain.end() ? "stroke" : existing->id;
        p.behind = "gate";
        p.drum = drum;
        p.evidence = evidenceOf(m, drum, true);
        p.moves = {{"tune", std::round(100.0 * semitones) / 100.0}};
        p.title = "Tuned to " + hertzText(wanted);
        p.school = "to the note that is wanted";
        p.reason = "Its note lies at " + hertzText(tone->fundamental) + ", " +
                   numberText(std::abs(semitones), 1) + " semitones " +
                   (semitones > 0.0 ? "under" : "over") +
                   " the one wanted of it. Overheads and rooms still hear the old one.";
        p.effects.push_back({EffectKind::note, "its note", "Hz", tone->fundamental, wanted, {}});
        p.confidence = tone->fundamentalConfidence;
        if (existing != row.chain.end() && wouldOverwrite(*existing, p.moves)) continue;
        out.push_back(std::move(p));
    }
    return out;
}

}  // namespace ember
