#include "core/report/elsewhere.h"

#include "core/base/number.h"
#include "core/base/text.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ember {
namespace {

// What of a row's power such a system gives, dB; 0: all of it.
double givenDb(const RowFigures& figures, const ListeningSystem& system) {
    double given = 1e-30, all = 1e-30;
    const Spectrum& s = figures.levels.spectrum;
    for (std::size_t i = 0; i < s.frequency.size(); ++i) {
        const double power = std::pow(10.0, 0.1 * s.level[i]);
        all += power;
        if (s.frequency[i] >= system.low && s.frequency[i] <= system.high) given += power;
    }
    return 10.0 * std::log10(given / all) - (system.mono ? figures.levels.monoLossDb : 0.0);
}

bool sounds(const RowFigures& figures) {
    return figures.levels.integrated > kSilenceDb + 1.0;
}

}  // namespace

std::span<const ListeningSystem> listeningSystems() {
    static const std::array<ListeningSystem, 3> systems{
        {{"club", "a club’s system", 35.0, 16000.0, true},
         {"small", "a small speaker", 250.0, 8000.0, true},
         {"telephone", "a telephone held loosely", 500.0, 6000.0, true}}};
    return systems;
}

std::vector<FallenBehind> fallenBehind(const Session& session, std::span<const RowFigures> figures,
                                       const ListeningSystem& system, double least) {
    const std::string main = mainRow(session);
    const auto whole = std::find_if(figures.begin(), figures.end(),
                                    [&](const RowFigures& f) { return f.levels.row == main; });
    std::vector<FallenBehind> behind;
    if (whole == figures.end() || !sounds(*whole)) return behind;
    const double mix = givenDb(*whole, system);
    for (const RowFigures& f : figures) {
        const Row* row = findRow(session, f.levels.row);
        if (row == nullptr || row->kind != RowKind::element || !sounds(f)) continue;
        const double by = mix - givenDb(f, system);
        if (by >= least) behind.push_back({row->id, by});
    }
    std::stable_sort(behind.begin(), behind.end(),
                     [](const FallenBehind& x, const FallenBehind& y) { return x.byDb > y.byDb; });
    return behind;
}

std::string elsewhereText(const Session& session, const ListeningSystem& system,
                          const std::vector<FallenBehind>& behind) {
    std::string text = "On " + system.name + " (" + (system.mono ? "mono, " : "") +
                       hertzText(system.low) + " to " + hertzText(system.high) + ") ";
    if (behind.empty()) return text + "nothing falls behind.";
    std::vector<std::string> said;
    for (const FallenBehind& one : behind) {
        const Row* row = findRow(session, one.row);
        said.push_back((row != nullptr ? row->name : one.row) +
                       (said.empty() ? " falls behind by " : " by ") + numberText(one.byDb, 0) +
                       " dB");
    }
    return text + listed(said) + ".";
}

std::vector<OneEar> oneEared(const Session& session, std::span<const RowFigures> figures,
                             double least) {
    std::vector<OneEar> out;
    for (const RowFigures& f : figures) {
        const Row* row = findRow(session, f.levels.row);
        if (row == nullptr || row->kind != RowKind::element || !sounds(f)) continue;
        if (std::abs(f.leftDb) >= least) out.push_back({row->id, f.leftDb});
    }
    std::stable_sort(out.begin(), out.end(), [](const OneEar& a, const OneEar& b) {
        return std::abs(a.db) > std::abs(b.db);
    });
    return out;
}

std::string headphonesText(const Session& session, const std::vector<OneEar>& found) {
    std::string text = "On headphones (each side to one ear) ";
    if (found.empty()) return text + "everything is heard by both.";
    std::vector<std::string> said;
    for (const OneEar& one : found) {
        const Row* row = findRow(session, one.row);
        said.push_back((row != nullptr ? row->name : one.row) + " by " +
                       numberText(std::abs(one.db), 0) + " dB to the " +
                       (one.db > 0.0 ? "left" : "right"));
    }
    return text + "one ear is left without: " + listed(said) +
           ". Loudspeakers let both ears hear it.";
}

}  // namespace ember
