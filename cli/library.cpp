#include "cli/library.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/number.h"
#include "core/library/library.h"

#include <iostream>

namespace ember::cli {
namespace {

Json soundJson(const LibrarySound& s) {
    const SoundFeatures& f = s.features;
    return {{"file", s.file.string()},
            {"role", toString(s.role)},
            {"sure", s.sure},
            {"seconds", f.seconds},
            {"attack_ms", f.attackMs},
            {"decay_ms", f.decayMs},
            {"fundamental_hz", f.fundamentalHz},
            {"sweep_semitones", f.sweepSemitones},
            {"brightness_hz", f.brightnessHz},
            {"noisiness", f.noisiness},
            {"attack_to_body_db", f.attackToBodyDb},
            {"peak_dbfs", f.peakDb},
            {"crest_db", f.crestDb},
            {"hint", toString(f.hint)}};
}

}  // namespace

LibraryCommands::LibraryCommands(CLI::App& app) {
    CLI::App* library = app.add_subcommand("library", "sounds in folders, to search and compare");
    library->require_subcommand(1);
    const auto command = [&](const char* name, const char* text) {
        CLI::App* sub = library->add_subcommand(name, text);
        sub->add_option("--index", index_, "the index file; the user's own when not given");
        return sub;
    };
    scan_ = command("scan", "listen to every one-shot below folders");
    scan_->add_option("folders", folders_)->required();
    similar_ = command("similar", "sounds like a file, the most alike first");
    similar_->add_option("file", file_)->required();
    search_ = command("search", "sounds by words in their paths and by drum");
    search_->add_option("words", words_);
    for (CLI::App* sub : {similar_, search_}) {
        sub->add_option("--role", role_, "kick, snare, hat, ...");
        sub->add_option("--limit", limit_, "how many")->check(CLI::Range(1, 100000));
    }
}

void LibraryCommands::run(bool json) {
    if (!*scan_ && !*similar_ && !*search_) return;
    const Output out{json};
    Library library(index_.empty() ? defaultLibraryIndex() : index_);
    if (!library.remark().empty()) std::cerr << library.remark() << "\n";
    LibrarySearch search;
    search.limit = limit_;
    if (!role_.empty()) search.role = roleFrom(role_);
    if (*scan_) {
        const std::vector<std::filesystem::path> folders(folders_.begin(), folders_.end());
        const LibraryScan scan = library.scan(folders);
        for (const std::string& sentence : scan.refused) std::cerr << sentence << "\n";
        out.machine({{"found", scan.found},
                     {"added", scan.added},
                     {"unchanged", scan.unchanged},
                     {"gone", scan.gone},
                     {"refused", scan.refused},
                     {"sounds", library.size()}});
        out.say(std::to_string(scan.added) + " sounds read, " + std::to_string(scan.unchanged) +
                " known, " + std::to_string(scan.gone) + " gone; the library holds " +
                std::to_string(library.size()));
    }
    Json list = Json::array();
    if (*similar_) {
        for (const LibraryMatch& m : library.similar(featuresOf(file_), search, hashFile(file_))) {
            Json one = soundJson(m.sound);
            one["distance"] = m.distance;
            list.push_back(std::move(one));
            out.say(numberText(m.distance, 2) + "  " + m.sound.file.string());
        }
        if (list.empty()) out.say("The library holds nothing else; scan a folder first.");
    }
    if (*search_) {
        search.words = words_;
        for (const LibrarySound& s : library.search(search)) {
            list.push_back(soundJson(s));
            out.say(s.file.string() + ": " + std::string(roleLabel(s.role)));
        }
        if (list.empty()) out.say("Nothing is called so.");
    }
    if (!*scan_) out.machine(list);
}

}  // namespace ember::cli
