#include "core/report/delivery.h"

#include "core/advise/recordings.h"
#include "core/base/number.h"
#include "core/base/text.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/engine/trace_cache.h"
#include "core/measure/level/levels.h"
#include "core/measure/separate/kept_models.h"
#include "core/report/adds_up.h"
#include "core/report/bus_members.h"
#include "core/report/drive_test.h"
#include "core/report/elsewhere.h"
#include "core/report/review.h"
#include "core/session/printed.h"
#include "core/session/recipe.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ember {
namespace {

using State = DeliveryCheck::State;
using Checks = std::vector<DeliveryCheck>;

void checkRecordings(const Session& session, AudioStore& store,
                     const std::vector<std::string>& problems, Checks& out) {
    std::vector<std::string> changed;
    for (const auto& file : changedRecordings(session, store))
        changed.push_back("“" + file.filename().string() + "”");
    if (!problems.empty())
        out.push_back({State::problem, "Recordings", problems.front(), {}});
    else if (!changed.empty())
        out.push_back({State::problem,
                       "Recordings",
                       listed(changed) + (changed.size() == 1 ? " is" : " are") +
                           " not what was taken in: put the old one back or take it in anew.",
                       {}});
    else
        out.push_back({State::fine, "Recordings", "All are there and unchanged.", {}});
    if (!isTakenApartAnew(session, store))
        out.push_back({State::attention,
                       "Bleed",
                       "Strokes or recordings changed since the kit was taken apart; take it apart "
                       "anew on the Flow page.",
                       {}});
}

void checkHeard(const Session& session, Checks& out) {
    std::vector<std::string> solos, mutes;
    std::string first;
    for (const Row& row : session.rows) {
        if (row.solo) {
            solos.push_back(row.name);
            if (first.empty()) first = row.id;
        }
        // What was printed to another row is heard there.
        const bool printed =
            std::any_of(session.rows.begin(), session.rows.end(), [&](const Row& other) {
                return other.printed && other.printed->row == row.id && !other.mute;
            });
        if (row.mute && !printed && row.kind != RowKind::reference) mutes.push_back(row.name);
    }
    if (!solos.empty())
        out.push_back({State::problem, "Solo",
                       "Only " + listed(solos) + " would be heard: switch solo off.", first});
    out.push_back(mutes.empty()
                      ? DeliveryCheck{State::fine, "Mutes", "No row is muted.", {}}
                      : DeliveryCheck{State::attention,
                                      "Mutes",
                                      listed(mutes) + (mutes.size() == 1 ? " is" : " are") +
                                          " muted and will be missing.",
                                      {}});
}

void checkPrints(const Session& session, Checks& out) {
    for (const Row& row : session.rows) {
        if (row.frozen && !printFits(session, row))
            out.push_back({State::attention, "Prints",
                           "“" + row.name +
                               "” was changed since it was printed and is rendered live: freeze it "
                               "anew, or forget its print.",
                           row.id});
        if (!row.printed || printedIsNew(session, row)) continue;
        const Row* of = findRow(session, row.printed->row);
        out.push_back({State::attention, "Prints",
                       of == nullptr ? "What “" + row.name + "” was printed of is gone."
                                     : "“" + row.name + "” plays “" + of->name +
                                           "” as it was before that was changed: print it anew.",
                       row.id});
    }
}

void checkDecided(const Session& session, Checks& out) {
    int active = 0;
    std::string row;
    for (const ReviewItem& item : reviewChains(session, {})) {
        if (item.kind != ReviewItem::Kind::active) continue;
        ++active;
        if (row.empty()) row = item.row;
    }
    if (active > 0)
        out.push_back(
            {State::attention, "Decisions",
             std::to_string(active) + (active == 1 ? " step changes" : " steps change") +
                 " the sound though nobody decided it; the review of the chains (V) lists "
                 "them.",
             row});
    else
        out.push_back({State::fine, "Decisions", "Nothing is active that nobody decided.", {}});
    for (const Row& r : session.rows) {
        if (!isUnsure(r)) continue;
        out.push_back({State::attention, "Who is who",
                       "Nobody has said what “" + r.name + "” is; say so on the Board.", r.id});
    }
}

void checkLevels(const SignalLevels& levels, double samplePeak, Checks& out) {
    const std::string by = numberText(std::ceil((samplePeak + 1.0) * 10.0) / 10.0, 1);
    if (samplePeak > 0.0)
        out.push_back({State::problem,
                       "Headroom",
                       "The mix peaks at " + changeText(samplePeak, 1) +
                           " dBFS and would clip in a file of 16 or 24 bit: lower the main by " +
                           by + " dB.",
                       {}});
    else
        out.push_back({State::fine,
                       "Headroom",
                       "The mix peaks at " + numberText(samplePeak, 1) + " dBFS.",
                       {}});
    const std::string peak = numberText(levels.truePeak, 1) + " dBTP";
    out.push_back(levels.truePeak > kDeliveredPeak
                      ? DeliveryCheck{State::attention,
                                      "True peak",
                                      peak + ": what is made of it later may clip above " +
                                          numberText(kDeliveredPeak, 0) +
                                          " dBTP; lower the main or its limiter's ceiling.",
                                      {}}
                      : DeliveryCheck{State::fine, "True peak", peak + ".", {}});
    out.push_back({State::fine,
                   "Loudness",
                   numberText(levels.integrated, 1) + " LUFS, short-term up to " +
                       numberText(levels.maxShortTerm, 1) + " LUFS.",
                   {}});
    const std::string mono = "In mono " + numberText(levels.monoLossDb, 1) +
                             " dB are lost; correlation " + numberText(levels.correlation, 2);
    out.push_back(levels.monoLossDb > kDeliveredMonoLoss || levels.correlation < 0.0
                      ? DeliveryCheck{State::attention,
                                      "Mono",
                                      mono + ". Check polarity and delays of the pairs, and what "
                                             "was made wide.",
                                      {}}
                      : DeliveryCheck{State::fine, "Mono", mono + ".", {}});
}

// Steps whose output stands over full scale: nothing clips there, but it would elsewhere.
void checkInside(const Session& session, AudioStore& store, const Progress& progress, Checks& out) {
    std::vector<std::string> rows;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::reference && !row.mute) rows.push_back(row.id);
    }
    struct Over {
        const Row* row;
        const Stage* stage;
        double db;
    };
    std::vector<Over> over;
    for (const auto& [id, traced] : knownOrTraced(session, store, rows, progress)) {
        const Row& row = *findRow(session, id);
        Over most{&row, nullptr, 0.0};
        for (std::size_t s = 0; s < std::min(row.chain.size(), traced.stages.size()); ++s) {
            // What leaves the main is the headroom of the mix.
            if (row.kind == RowKind::main && row.chain[s].type == "seat") continue;
            const std::vector<float>& peaks = traced.stages[s].outputPeak;
            if (peaks.empty()) continue;
            const double db =
                dbFromGain(static_cast<double>(*std::max_element(peaks.begin(), peaks.end())));
            if (db > most.db) most = {&row, &row.chain[s], db};
        }
        if (most.stage != nullptr) over.push_back(most);
    }
    if (over.empty())
        return out.push_back(
            {State::fine, "Inside the chains", "No step goes over full scale.", {}});
    std::sort(over.begin(), over.end(), [](const Over& a, const Over& b) { return a.db > b.db; });
    const Over& most = over.front();
    std::vector<std::string> others;
    for (std::size_t i = 1; i < over.size(); ++i) others.push_back(over[i].row->name);
    out.push_back(
        {State::attention, "Inside the chains",
         most.row->name + " stands at " + changeText(most.db, 1) + " dBFS behind its " +
             processorType(most.stage->type).label +
             (others.empty() ? std::string() : "; over full scale too: " + listed(others)) +
             ". Nothing clips here, but what is dialled in elsewhere, or goes out as a "
             "stem of 16 or 24 bit, would: lower what comes before.",
         most.row->id});
}

// Close microphones that take lows from all the others: turned over they would give some.
void checkPhase(const Session& session, AudioStore& store, double from, const Progress& progress,
                Checks& out) {
    constexpr double kWorthTurning = 1.0;  // dB that all lows, or all of it, would gain
    RenderOptions options;
    options.from = from;
    options.to = from + kLongestDriven;
    std::vector<std::pair<const Row*, std::vector<float>>> heard;
    std::vector<float> all;
    for (const RowAudio& one : renderRows(session, store, options, progress)) {
        const Row* row = findRow(session, one.row);
        if (row == nullptr || row->kind != RowKind::element) continue;
        std::vector<float> mono = sidesMixed(one.audio);
        all.resize(std::max(all.size(), mono.size()), 0.0F);
        for (std::size_t i = 0; i < mono.size(); ++i) all[i] += mono[i];
        if (!row->drum.empty() && !row->sources.empty()) heard.emplace_back(row, std::move(mono));
    }
    const Row* worst = nullptr;
    double most = kWorthTurning;
    bool lows = false;
    for (auto& [row, own] : heard) {
        std::vector<float> rest = all;
        own.resize(all.size(), 0.0F);
        for (std::size_t i = 0; i < own.size(); ++i) rest[i] -= own[i];
        const AddsUp found = addUp(own, rest, session.sampleRate);
        const double low = found.lowFlippedDb - found.lowDb, whole = found.flippedDb - found.sumDb;
        if (std::max(low, whole) <= most) continue;
        worst = row;
        most = std::max(low, whole);
        lows = low >= whole;
    }
    if (worst == nullptr)
        return out.push_back({State::fine,
                              "Phase",
                              "No close microphone would give the drums more turned over.",
                              {}});
    out.push_back({State::attention, "Phase",
                   "With " + worst->name + " turned over, " +
                       (lows ? "the lows of all drums" : "all drums") + " would have " +
                       numberText(most, 1) +
                       " dB more: see “How it adds up” in its menu, and align it.",
                   worst->id});
}

// Where the mix is loudest for so long, seconds.
double loudestFrom(const AudioBuffer& mix, double seconds) {
    const auto step = static_cast<std::size_t>(mix.sampleRate);
    std::vector<double> power;
    for (std::size_t at = 0; at < mix.frames(); at += step) {
        double sum = 0.0;
        for (const auto& side : mix.channels) {
            for (std::size_t i = at; i < std::min(mix.frames(), at + step); ++i)
                sum += static_cast<double>(side[i]) * static_cast<double>(side[i]);
        }
        power.push_back(sum);
    }
    const auto length = static_cast<std::size_t>(seconds);
    std::size_t best = 0;
    double most = -1.0;
    for (std::size_t first = 0; first + std::min(length, power.size()) <= power.size(); ++first) {
        const auto begin = power.begin() + static_cast<std::ptrdiff_t>(first);
        const double sum = std::accumulate(
            begin, begin + static_cast<std::ptrdiff_t>(std::min(length, power.size())), 0.0);
        if (sum > most) {
            most = sum;
            best = first;
        }
    }
    return static_cast<double>(best);
}

// What breaks first when it is pushed, and what falls behind elsewhere, where it is loudest.
void checkElsewhere(const Session& session, AudioStore& store, double from,
                    const Progress& progress, Checks& out) {
    constexpr double kTooLoud = 1.5;  // dB that are worth attention
    const DriveTest drive =
        driveTest(session, store, from, from + kLongestDriven, within(progress, 0.0, 0.6));
    std::string said;
    for (const std::string& sentence : drive.sentences)
        said += (said.empty() ? "" : " ") + sentence;
    const bool loud = drive.offer && drive.tooLoudDb >= kTooLoud;
    if (loud) said += " “Push it until it breaks”, in the menu of the main, lets you hear that.";
    out.push_back({loud ? State::attention : State::fine, "Drive", said, drive.first});
    const std::vector<RowFigures> figures =
        mixFigures(session, store, {}, from, from + kLongestDriven, within(progress, 0.6, 1.0));
    for (const ListeningSystem& system : listeningSystems())
        out.push_back({State::fine,
                       "Elsewhere",
                       elsewhereText(session, system, fallenBehind(session, figures, system)),
                       {}});
    out.push_back(
        {State::fine, "Elsewhere", headphonesText(session, oneEared(session, figures)), {}});
}

}  // namespace

std::string_view toString(DeliveryCheck::State state) {
    switch (state) {
        case State::attention:
            return "attention";
        case State::problem:
            return "problem";
        default:
            return "fine";
    }
}

std::vector<DeliveryCheck> checkDelivery(const Session& session, AudioStore& store,
                                         const Progress& progress) {
    RenderOptions options;
    options.tail = true;
    RenderReport rendered;
    const AudioBuffer mix =
        renderMix(session, store, options, &rendered, within(progress, 0.0, 0.3));
    report(progress, 0.3, "Measuring the mix");
    const std::vector<std::span<const float>> sides(mix.channels.begin(), mix.channels.end());
    const SignalLevels levels = measureLevels(sides, session.sampleRate);
    Checks out;
    checkRecordings(session, store, rendered.problems, out);
    checkHeard(session, out);
    checkPrints(session, out);
    checkDecided(session, out);
    if (levels.integrated <= kSilenceDb) {
        out.push_back({State::problem,
                       "Silence",
                       "Nothing is heard at the main: open mutes, faders and gates.",
                       {}});
        return out;
    }
    checkLevels(levels, rendered.loudness.samplePeak, out);
    checkInside(session, store, within(progress, 0.3, 0.5), out);
    const double loudest = loudestFrom(mix, kLongestDriven);
    checkPhase(session, store, loudest, within(progress, 0.5, 0.6), out);
    out.push_back(
        {State::fine,
         "Tail",
         rendered.tail > 0
             ? "It rings on for " +
                   numberText(static_cast<double>(rendered.tail) / session.sampleRate, 2) +
                   " s after the last recording, which a render keeps."
             : "It ends with the last recording.",
         {}});
    checkElsewhere(session, store, loudest, within(progress, 0.6, 1.0), out);
    if (rendered.stoppedBlocks > 0)
        out.push_back({State::problem,
                       "Signal",
                       std::to_string(rendered.stoppedBlocks) +
                           " blocks held no numbers and were stopped at their row; look for the "
                           "recording or processor that makes them.",
                       {}});
    return out;
}

}  // namespace ember
