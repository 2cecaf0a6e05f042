#include "core/session/document.h"

#include "core/base/error.h"
#include "core/session/bleed.h"

#include <algorithm>
#include <chrono>

namespace ember {
namespace {

std::string summary(const Session& from, const Session& to) {
    const auto sentences = diff(from, to).sentences();
    if (sentences.empty()) return "small change";
    if (sentences.size() == 1) return sentences[0];
    return sentences[0] + " and " + std::to_string(sentences.size() - 1) + " more";
}

}  // namespace

Document::Document(Session session, std::vector<LogEntry> log)
    : session_(std::move(session)), log_(std::move(log)) {}

void Document::log(Difference what, const std::vector<Why>& why) {
    const auto now = std::chrono::system_clock::now().time_since_epoch();
    LogEntry entry{std::chrono::duration_cast<std::chrono::seconds>(now).count(), std::move(what)};
    const auto because = std::find_if(why.begin(), why.end(), [&](const Why& w) {
        return !entry.what.row.empty() && w.row == entry.what.row && w.stage == entry.what.stage;
    });
    if (because != why.end()) {
        entry.reason = because->reason;
        entry.proposal = because->proposal;
    }
    log_.push_back(std::move(entry));
}

void Document::note(const std::string& text) {
    log({text, {}, {}, {}, {}, {}});
}

void Document::addNote(const std::string& text, const std::string& row, const std::string& stage,
                       std::optional<double> at) {
    if (text.empty()) throw Error("A note needs some words.");
    log({text, row, stage, {}, {}, {}});
    log_.back().note = true;
    log_.back().at = at;
    gesture_.clear();
}

void Document::explain(std::size_t line, const std::string& reason) {
    if (line >= log_.size()) throw Error("There is no such line in the logbook.");
    const LogEntry& told = log_[line];
    const auto together = [&](const LogEntry& e) {
        return e.time == told.time && e.note == told.note && e.what.row == told.what.row &&
               e.what.stage == told.what.stage && e.reason == told.reason;
    };
    std::size_t first = line, last = line;
    while (first > 0 && together(log_[first - 1])) --first;
    while (last + 1 < log_.size() && together(log_[last + 1])) ++last;
    const std::string before = told.reason;
    for (std::size_t i = first; i <= last; ++i) {
        if (log_[i].reason == before) log_[i].reason = reason;
    }
    gesture_.clear();
}

void Document::edit(Session next, const std::string& gesture, const std::vector<Why>& why) {
    alignParts(session_, next);
    if (next == session_) return;
    const bool continues = !gesture.empty() && gesture == gesture_ && !past_.empty();
    const Session before = continues ? stepTaken(session_, past_.back()) : std::move(session_);
    if (continues) {
        log_.resize(gestureLog_);
        past_.pop_back();
    } else {
        if (past_.size() == kDepth) past_.erase(past_.begin());
        gestureLog_ = log_.size();
    }
    gesture_ = gesture;
    session_ = std::move(next);
    past_.push_back(stepBetween(session_, before));
    future_.clear();
    for (Difference& change : diff(before, session_).changes) log(std::move(change), why);
}

bool Document::keepClip(const std::string& id, std::int64_t taken, const MixClip& clip) {
    bool stands = false;
    const auto give = [&](Session& session) {
        bool there = false;
        for (Snapshot& s : session.snapshots) {
            if (s.id != id || s.time != taken) continue;
            s.clip = clip;
            there = stands = true;
        }
        return there;
    };
    give(session_);
    for (auto* steps : {&past_, &future_}) {
        for (Step& step : *steps) {
            if (!step.rest) continue;
            Session rest = *step.rest;
            if (give(rest)) step.rest = std::make_shared<const Session>(std::move(rest));
        }
    }
    return stands;
}

std::string Document::undoText() const {
    return past_.empty() ? "" : summary(stepTaken(session_, past_.back()), session_);
}
std::string Document::redoText() const {
    return future_.empty() ? "" : summary(session_, stepTaken(session_, future_.back()));
}

void Document::undo() {
    if (past_.empty()) return;
    note("Undone: " + undoText());
    walk(past_, future_);
}

void Document::redo() {
    if (future_.empty()) return;
    note("Redone: " + redoText());
    walk(future_, past_);
}

// One step along, which is then one the other way.
void Document::walk(std::vector<Step>& from, std::vector<Step>& to) {
    Session next = stepTaken(session_, from.back());
    to.push_back(stepBetween(next, session_));
    session_ = std::move(next);
    from.pop_back();
    gesture_.clear();
}

std::set<std::string> Document::files() const {
    std::set<std::string> out;
    const auto add = [&](const std::vector<Row>& rows) {
        for (const Row& row : rows)
            eachFile(row, [&](const Source& source) { out.insert(source.file); });
    };
    const auto addAll = [&](const Session& session) {
        add(session.rows);
        for (const Snapshot& snapshot : session.snapshots) {
            add(snapshot.rows.get());
            if (!snapshot.clip) continue;
            for (const Source& source : snapshot.clip->audio) out.insert(source.file);
        }
    };
    addAll(session_);
    for (const auto* steps : {&past_, &future_}) {
        for (const Step& step : *steps) {
            add(step.rows);
            if (step.rest) addAll(*step.rest);
        }
    }
    return out;
}

}  // namespace ember
