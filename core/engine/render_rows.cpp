// Every row of a mix at once, in memory.

#include "core/engine/render_span.h"

#include <algorithm>

namespace ember {
namespace {

constexpr int kBlocksAtOnce = 32;

}  // namespace

std::vector<RowAudio> renderRows(const Session& session, AudioStore& store,
                                 const RenderOptions& options, const Progress& progress) {
    const auto plan = compile(
        session, store,
        {kBlocksAtOnce, options.threads, options.withGuests, options.onlyRows, nullptr}, progress);
    const double rate = session.sampleRate;
    const SongSpan span = spanOf(options, rate, plan->length());
    const Frames from = span.from, to = span.to;
    std::vector<RowAudio> rows;
    std::vector<int> places;
    for (const Row& row : session.rows) {
        const int place = plan->rowIndex(row.id);
        if (place < 0) continue;
        places.push_back(place);
        rows.push_back({row.id, {rate, {{}, {}}}});
        for (auto& side : rows.back().audio.channels)
            side.reserve(static_cast<std::size_t>(to - from));
    }
    const Frames begin = span.begin(rate);
    const Frames end = to + plan->longestLatency();
    std::vector<BlockPlay> blocks;
    for (Frames position = begin; position < end; position += kBlocksAtOnce * kBlock) {
        blocks.clear();
        for (int b = 0; b < kBlocksAtOnce; ++b)
            blocks.push_back({BlockPlay::Mode::play, position + b * kBlock, 0});
        plan->run(blocks);
        for (std::size_t r = 0; r < rows.size(); ++r) {
            // Of what this run gave, what lies in the stretch that is wanted, where the row is late
            // by its own latency.
            const Frames shift = plan->latency(places[r]);
            const Frames first =
                             std::clamp<Frames>(from + shift - position, 0, kBlocksAtOnce * kBlock),
                         last =
                             std::clamp<Frames>(to + shift - position, 0, kBlocksAtOnce * kBlock);
            for (int c = 0; c < 2; ++c) {
                const float* heard = plan->output(places[r], c);
                auto& side = rows[r].audio.channels[static_cast<std::size_t>(c)];
                side.insert(side.end(), heard + first, heard + last);
            }
        }
        report(progress, static_cast<double>(position - begin) / static_cast<double>(end - begin),
               "Listening to every row");
    }
    return rows;
}

}  // namespace ember
