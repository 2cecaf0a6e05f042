// What becomes of a mix where others hear it: systems that leave out lows, highs or a side.
#pragma once

#include "core/report/mix_figures.h"

#include <span>
#include <string>
#include <vector>

namespace ember {

struct ListeningSystem {
    std::string id, name;               // "small", "a small speaker"
    double low = 20.0, high = 20000.0;  // Hz that it gives, as if everything else were gone
    bool mono = false;                  // both sides are added
};
// A club's system (mono, 35 Hz to 16 kHz), a small speaker (mono, 250 Hz to 8 kHz), a telephone
// held loosely (mono, 500 Hz to 6 kHz).
std::span<const ListeningSystem> listeningSystems();

struct FallenBehind {
    std::string row;
    double byDb = 0.0;  // by how much more it loses there than the whole mix does
};
// Elements that fall behind the whole mix by at least `least` dB on a system, the worst first.
// `figures` as mixFigures() gives them. Pure.
std::vector<FallenBehind> fallenBehind(const Session& session, std::span<const RowFigures> figures,
                                       const ListeningSystem& system, double least = 6.0);
// "On a small speaker (mono, 250 Hz to 8 kHz) Kick In falls behind by 14 dB and Floor Tom by 7 dB."
std::string elsewhereText(const Session& session, const ListeningSystem& system,
                          const std::vector<FallenBehind>& behind);

// On headphones every side reaches one ear alone, and nothing of it the other, as it does from
// loudspeakers.
struct OneEar {
    std::string row;
    double db = 0.0;  // more at the left ear; negative: at the right one
};
// Elements of which one ear hears at least `least` dB more, furthest to a side first. Pure.
std::vector<OneEar> oneEared(const Session& session, std::span<const RowFigures> figures,
                             double least = 12.0);
// "On headphones (each side to one ear) one ear is left without: Hat by 14 dB to the left. …"
std::string headphonesText(const Session& session, const std::vector<OneEar>& found);

}  // namespace ember
