#include "core/report/bus_members.h"

#include "core/report/mix_figures.h"

#include <algorithm>

namespace ember {

std::vector<RowAudio> busMembers(const Session& session, AudioStore& store, const std::string& bus,
                                 bool withGuests, double from, double to,
                                 const Progress& progress) {
    RenderOptions options;
    options.from = from;
    options.to = to < 0.0 ? from + kLongestCompared : std::min(to, from + kLongestCompared);
    options.withGuests = withGuests;
    std::vector<RowAudio> rows = renderRows(session, store, options, progress);
    std::erase_if(rows,
                  [&](const RowAudio& one) { return findRow(session, one.row)->parent != bus; });
    return rows;
}

std::vector<float> sidesMixed(const AudioBuffer& audio) {
    std::vector<float> out(audio.frames());
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = 0.5F * (audio.channels[0][i] + audio.channels[1][i]);
    return out;
}

}  // namespace ember
