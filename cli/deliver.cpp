#include "cli/deliver.h"

#include "cli/edit.h"
#include "cli/render.h"
#include "cli/separate.h"
#include "core/base/error.h"
#include "core/base/number.h"

#include <algorithm>
#include <iostream>

namespace ember::cli {
namespace fs = std::filesystem;

DeliverCommand::DeliverCommand(CLI::App& app)
    : command_(app.add_subcommand("deliver", "mixes in several forms, stems and strokes at once")) {
    command_->add_option("session", session_)->required();
    command_->add_option("--to", order_.folder, "folder, made where it is not there")->required();
    command_->add_option("--mix", mixes_, "wav24, wav16@44100, wav32, flac24, flac16: any number");
    command_->add_option("--stems", stems_, "of elements, of groups, or both (32-bit float)")
        ->check(CLI::IsMember({"elements", "groups"}));
    command_
        ->add_option("--returns", returns_,
                     "what stems give parallels and spaces: inside (each its share), apart (each "
                     "parallel and space a stem), wet (a wet stem beside every dry one)")
        ->check(CLI::IsMember({"inside", "apart", "wet"}));
    command_->add_flag("--strokes", order_.strokes, "the strokes as MIDI");
    command_->add_flag("--one-shots", order_.oneShots,
                       "every drum's strokes as the mix has them, as samples");
    command_->add_option("--names", order_.names,
                         "of the files: {song}, {what}, {rate} and {bits} are filled in");
    command_->add_option("--from", order_.options.from, "seconds")->check(CLI::Range(0.0, 1e6));
    command_->add_option("--until", order_.options.to, "seconds")->check(CLI::Range(0.0, 1e6));
    command_->add_flag("--guests", order_.options.withGuests, "with the guests");
}

void DeliverCommand::run(bool json) {
    if (!*command_) return;
    const Output out{json};
    const auto wants = [&](const char* kind) {
        return std::find(stems_.begin(), stems_.end(), kind) != stems_.end();
    };
    order_.stems = wants("elements");
    order_.groups = wants("groups");
    order_.returns = returns_ == "apart" ? Returns::apart
                     : returns_ == "wet" ? Returns::wet
                                         : Returns::inside;
    order_.options.tail = true;
    for (const std::string& form : mixes_) order_.mixes.push_back(mixFormFrom(form));
    Session session = openSession(session_);
    (void)filesOf(session, order_);
    if ((order_.strokes || order_.oneShots) && session.strokes.get().empty())
        session = withStrokesHeard(std::move(session), session_);
    AudioStore store;
    const Delivered done = deliver(session, store, order_);
    Json files = Json::array();
    for (const fs::path& file : done.files) {
        files.push_back(file.string());
        out.say(file.string());
    }
    Json result{{"files", files}, {"remarks", done.remarks}};
    if (!order_.mixes.empty()) {
        result["loudness"] = toJson(done.mix.loudness);
        out.say("The mix: " + describe(done.mix.loudness));
    }
    if (order_.stems || order_.groups) {
        result["stems_residue_dbfs"] = done.stems.throughBusesDb;
        out.say(sumsText(order_.returns) + " the mix within " +
                numberText(done.stems.throughBusesDb, 1) + " dBFS" +
                (done.stems.busesReplayExactly ? "" : " (a nonlinear bus makes more impossible)"));
    }
    out.machine(result);
    for (const std::string& remark : done.remarks) std::cerr << remark << "\n";
    if (!done.mix.problems.empty())
        throw Error("It was delivered without the recordings named above.");
}

}  // namespace ember::cli
