#include "core/report/deliver.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/report/midi_write.h"
#include "core/report/one_shots.h"
#include "core/session/kit.h"

#include <algorithm>
#include <charconv>
#include <set>

namespace ember {
namespace fs = std::filesystem;
namespace {

constexpr int kLowestRate = 8000, kHighestRate = 192000;

int bitsOf(SampleDepth depth) {
    return depth == SampleDepth::pcm16 ? 16 : depth == SampleDepth::pcm24 ? 24 : 32;
}

int rateOf(const MixForm& form, int sessionRate) {
    return form.sampleRate > 0 ? form.sampleRate : sessionRate;
}

// What a file system takes as a name everywhere.
std::string asFileName(const std::string& text) {
    std::string out;
    for (const char c : text) {
        const bool bad = static_cast<unsigned char>(c) < 32 ||
                         std::string_view("/\\:*?\"<>|").find(c) != std::string_view::npos;
        out += bad ? '-' : c;
    }
    while (!out.empty() && (out.back() == ' ' || out.back() == '.')) out.pop_back();
    out.erase(0, out.find_first_not_of(' '));
    return out;
}

std::string nameOf(const Session& session, const DeliveryOrder& order, const std::string& what,
                   int rate, SampleDepth depth) {
    return deliveredName(order.names, session.name, what, rate, bitsOf(depth));
}

// Forms that would have one name tell themselves apart.
std::vector<MixFile> mixFiles(const Session& session, const DeliveryOrder& order) {
    std::vector<MixFile> out;
    std::set<fs::path> taken;
    const auto name = [&](const MixForm& form, const std::string& more) {
        const int rate = rateOf(form, session.sampleRate);
        return order.folder / (nameOf(session, order, "mix" + more, rate, form.depth) +
                               (form.flac ? ".flac" : ".wav"));
    };
    for (const MixForm& form : order.mixes) {
        fs::path file = name(form, "");
        if (taken.contains(file))
            file = name(form, " " + std::to_string(bitsOf(form.depth)) + " bit " +
                                  kilohertzText(rateOf(form, session.sampleRate)) + " kHz");
        if (!taken.insert(file).second)
            throw Error("The mix is ordered twice as " + mixFormText(form, session.sampleRate) +
                        "; once is enough.");
        out.push_back({file, form.depth, form.sampleRate});
    }
    return out;
}

fs::path stemFolder(const Session& session, const DeliveryOrder& order) {
    return order.folder / nameOf(session, order, "stems", session.sampleRate, SampleDepth::float32);
}

fs::path shotFolder(const Session& session, const DeliveryOrder& order) {
    return order.folder /
           nameOf(session, order, "one-shots", session.sampleRate, SampleDepth::float32);
}

fs::path midiFile(const Session& session, const DeliveryOrder& order) {
    return order.folder /
           (nameOf(session, order, "strokes", session.sampleRate, SampleDepth::float32) + ".mid");
}

// Names of stems; rows that people call alike are told apart by their ids.
StemSet stemSet(const Session& session, const DeliveryOrder& order) {
    std::multiset<std::string> names;
    for (const Row& row : session.rows) names.insert(asFileName(row.name));
    return {.elements = order.stems,
            .groups = order.groups,
            .returns = order.returns,
            .name = [&session, &order, names](const Row& row) {
                const bool alone = names.count(asFileName(row.name)) == 1;
                return nameOf(session, order, alone ? row.name : row.name + " " + row.id,
                              session.sampleRate, SampleDepth::float32);
            }};
}

bool isRendered(const Row& row, const DeliveryOrder& order) {
    return row.kind == RowKind::element || (row.kind == RowKind::guest && order.options.withGuests);
}

// Progress of several jobs, each with its part of the whole.
class Shares {
  public:
    Shares(const Progress& progress, int parts) : progress_(progress), parts_(std::max(1, parts)) {}
    Progress next(int parts) {
        const double from = static_cast<double>(done_) / parts_,
                     width = static_cast<double>(parts) / parts_;
        done_ += parts;
        return [this, from, width](double share, const std::string& what) {
            return !progress_ || progress_(from + width * share, what);
        };
    }

  private:
    const Progress& progress_;
    int parts_, done_ = 0;
};

}  // namespace

MixForm mixFormFrom(std::string_view text) {
    MixForm form;
    const auto wrong = [&] {
        return Error("“" + std::string(text) +
                     "” is no form of a mix: it takes wav or flac, 16, 24 or (wav) 32 bit, and a "
                     "rate if wanted, as in wav16@44100.");
    };
    const std::size_t at = text.find('@');
    const std::string_view kind = text.substr(0, at);
    form.flac = kind.starts_with("flac");
    if (!form.flac && !kind.starts_with("wav")) throw wrong();
    const std::string_view bits = kind.substr(form.flac ? 4 : 3);
    if (bits == "16")
        form.depth = SampleDepth::pcm16;
    else if (bits == "32" && !form.flac)
        form.depth = SampleDepth::float32;
    else if (bits != "24")
        throw wrong();
    if (at == std::string_view::npos) return form;
    const std::string_view rate = text.substr(at + 1);
    const auto [end, code] =
        std::from_chars(rate.data(), rate.data() + rate.size(), form.sampleRate);
    if (code != std::errc() || end != rate.data() + rate.size() || form.sampleRate < kLowestRate ||
        form.sampleRate > kHighestRate)
        throw wrong();
    return form;
}

std::string mixFormText(const MixForm& form, int sessionRate) {
    return std::string(form.flac ? "FLAC" : "WAV") + ", " + std::to_string(bitsOf(form.depth)) +
           (form.depth == SampleDepth::float32 ? " bit float, " : " bit, ") +
           kilohertzText(rateOf(form, sessionRate)) + " kHz";
}

std::string deliveredName(std::string_view pattern, const std::string& song,
                          const std::string& what, int rate, int bits) {
    std::string out;
    bool told = false;
    for (std::size_t i = 0; i < pattern.size(); ++i) {
        if (pattern[i] != '{') {
            out += pattern[i];
            continue;
        }
        const std::size_t end = pattern.find('}', i);
        const std::string_view part =
            pattern.substr(i, end == std::string_view::npos ? end : end - i + 1);
        if (part == "{song}")
            out += song;
        else if (part == "{what}")
            out += what;
        else if (part == "{rate}")
            out += kilohertzText(rate);
        else if (part == "{bits}")
            out += std::to_string(bits);
        else
            throw Error("“" + std::string(part) +
                        "” is no part of a name: it takes {song}, {what}, {rate} and {bits}.");
        told = told || part == "{what}";
        i = end;
    }
    if (!told) throw Error("Without {what} in their names all files would have one; put it in.");
    return asFileName(out);
}

std::string sumsText(Returns returns) {
    return returns == Returns::apart ? "The stems and the returns together sum to"
           : returns == Returns::wet ? "The stems, dry and wet together, sum to"
                                     : "The stems sum to";
}

std::vector<fs::path> filesOf(const Session& session, const DeliveryOrder& order) {
    if (order.mixes.empty() && !order.stems && !order.groups && !order.strokes && !order.oneShots)
        throw Error("Nothing is ordered: choose a mix, stems, one-shots or the strokes.");
    if (order.folder.empty()) throw Error("Say which folder it is to go to.");
    std::vector<fs::path> out;
    for (const MixFile& mix : mixFiles(session, order)) out.push_back(mix.file);
    const StemSet set = stemSet(session, order);
    const auto stem = [&](const char* kind, const Row& row) {
        out.push_back(stemFolder(session, order) / kind / (set.name(row) + ".wav"));
    };
    const bool wet = order.returns == Returns::wet;
    std::set<std::string> groups;
    for (const Row& row : session.rows) {
        if (!isRendered(row, order)) continue;
        if (order.stems) {
            stem("pre-bus", row);
            stem("through-buses", row);
            if (wet) stem("wet", row);
        }
        const std::string group = stemGroupOf(session, row);
        if (order.groups && groups.insert(group).second) {
            stem("groups", *findRow(session, group));
            if (wet) stem("groups-wet", *findRow(session, group));
        }
    }
    if ((order.stems || order.groups) && order.returns == Returns::apart) {
        for (const std::string& id : returnsOf(session, order.options.withGuests))
            stem("returns", *findRow(session, id));
    }
    if (order.oneShots) {
        for (const OneShot& shot : chooseOneShots(session, session.strokes.get()))
            out.push_back(oneShotFile(session, shot, shotFolder(session, order)));
    }
    if (order.strokes) out.push_back(midiFile(session, order));
    return out;
}

Delivered deliver(const Session& session, AudioStore& store, const DeliveryOrder& order,
                  const Progress& progress) {
    (void)filesOf(session, order);  // what cannot be is said first
    std::error_code code;
    fs::create_directories(order.folder, code);
    if (code)
        throw Error("The folder “" + order.folder.string() +
                    "” cannot be made: choose one you may write to.");
    Delivered out;
    const bool stems = order.stems || order.groups;
    Shares shares(progress,
                  (order.mixes.empty() ? 0 : 1) + (stems ? 2 : 0) + (order.oneShots ? 2 : 0));
    if (!order.mixes.empty()) {
        out.mix =
            renderToFiles(session, store, order.options, mixFiles(session, order), shares.next(1));
        out.files = out.mix.files;
        out.remarks = out.mix.problems;
    }
    if (stems) {
        const RenderReport done =
            renderStems(session, store, order.options, stemFolder(session, order), shares.next(2),
                        stemSet(session, order));
        out.stems = done.stems;
        out.files.insert(out.files.end(), done.files.begin(), done.files.end());
        if (order.mixes.empty()) out.remarks = done.problems;
    }
    const std::vector<Stroke>& strokes = session.strokes.get();
    if ((order.strokes || order.oneShots) && strokes.empty()) {
        out.remarks.emplace_back("No strokes are known yet; what is made of them is not there.");
        return out;
    }
    if (order.oneShots) {
        const auto shots = cutOneShots(session, store, chooseOneShots(session, strokes),
                                       shotFolder(session, order), shares.next(2));
        out.files.insert(out.files.end(), shots.begin(), shots.end());
    }
    if (order.strokes) {
        out.files.push_back(midiFile(session, order));
        writeStrokesMidi(session, strokes, out.files.back());
    }
    return out;
}

}  // namespace ember
