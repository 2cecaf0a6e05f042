#include "core/session/document.h"

#include "core/session/diff.h"

#include <chrono>

namespace ember {
namespace {

std::string summary(const Session& from, const Session& to) {
    const auto sentences = diff(from, to).sentences;
    if (sentences.empty()) return "small change";
    if (sentences.size() == 1) return sentences[0];
    return sentences[0] + " and " + std::to_string(sentences.size() - 1) + " more";
}

}  // namespace

Document::Document(Session session, std::vector<LogEntry> log)
    : session_(std::move(session)), log_(std::move(log)) {}

void Document::note(const std::string& text) {
    const auto now = std::chrono::system_clock::now().time_since_epoch();
    log_.push_back({std::chrono::duration_cast<std::chrono::seconds>(now).count(), text});
}

void Document::edit(Session next, const std::string& gesture) {
    if (next == session_) return;
    const bool continues = !gesture.empty() && gesture == gesture_ && !past_.empty();
    if (continues) {
        log_.resize(gestureLog_);
    } else {
        past_.push_back(session_);
        if (past_.size() > kDepth) past_.erase(past_.begin());
        gestureLog_ = log_.size();
    }
    gesture_ = gesture;
    session_ = std::move(next);
    future_.clear();
    for (const auto& sentence : diff(past_.back(), session_).sentences) note(sentence);
}

std::string Document::undoText() const {
    return past_.empty() ? "" : summary(past_.back(), session_);
}
std::string Document::redoText() const {
    return future_.empty() ? "" : summary(session_, future_.back());
}

void Document::undo() {
    if (past_.empty()) return;
    note("Undone: " + undoText());
    future_.push_back(std::move(session_));
    session_ = std::move(past_.back());
    past_.pop_back();
    gesture_.clear();
}

void Document::redo() {
    if (future_.empty()) return;
    note("Redone: " + redoText());
    past_.push_back(std::move(session_));
    session_ = std::move(future_.back());
    future_.pop_back();
    gesture_.clear();
}

}  // namespace ember
