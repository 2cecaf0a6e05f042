// What a first walk through the window shows.

#include "app/window/main_window.h"

#include <QSettings>

#include <algorithm>

namespace ember::app {
namespace {

// A row that shows much: a snare, or else the first that sounds.
std::string shownRow(const Session& session) {
    const auto find = [&](auto good) -> std::string {
        const auto at = std::find_if(session.rows.begin(), session.rows.end(), good);
        return at != session.rows.end() ? at->id : std::string();
    };
    const std::string snare = find([](const Row& row) {
        return row.kind == RowKind::element && drumFamily(row.drum) == DrumFamily::snare;
    });
    return !snare.empty() ? snare
                          : find([](const Row& row) { return row.kind == RowKind::element; });
}

}  // namespace

std::vector<GuideStep> MainWindow::guideSteps() {
    const auto cell = [this](Column column) {
        showBoard();
        board_->select({shownRow(workspace_.session()), column});
    };
    return {
        {tr("The Board"),
         tr("Rows are what sounds, columns the steps of the work, from left to right. Every cell "
            "is a small true picture of that step on this recording, and the mark in its corner "
            "says how far it has come. Arrow keys walk; Space plays; M mutes, S solos."),
         [cell] { cell(Column::gate); }},
        {tr("What was heard"),
         tr("The kit is listened to in the background. The panel at the right says what was found "
            "for the chosen cell, what is proposed, why, and what it will change. A accepts it; "
            "then it says what it did. A half dot marks a cell with a proposal."),
         [cell] { cell(Column::repair); }},
        {tr("A step on its bench"),
         tr("Enter opens a cell. The plot comes first, the numbers beside it can be typed, stepped "
            "and dragged; Esc goes back. B compares before and after, equally loud."),
         [this] {
             showBench({shownRow(workspace_.session()), Column::gate});
         }},
        {tr("The first pass"),
         tr("P opens everything that is proposed for the whole kit, in the order of the work, each "
            "with what it will do. What is ticked is accepted as one edit, and undo (Ctrl+Z) takes "
            "it back."),
         [cell] { cell(Column::align); }},
        {tr("Strokes"),
         tr("Every stroke that was found stands on the recordings (Ctrl+H). What is wrong is "
            "corrected here, and gates and shapers that go by strokes follow. N loops the next "
            "spot worth listening to."),
         [this] { showHits(); }},
        {tr("Who feeds whom"),
         tr("Buses, sends and parallels in one table (Ctrl+F), with what every sum peaks at. Ctrl+"
            "Shift+F turns every drum up or down in every microphone; Ctrl+Alt+F is kick and bass "
            "alone."),
         [this] { showFlow(); }},
        {tr("Two mixes, equally loud"),
         tr("Ctrl+T keeps the mix as a snapshot before you try something. Here two of them are "
            "heard in turn, on the beat, blind if you like, and in figures (Ctrl+D)."),
         [this] { showCompare(); }},
        {tr("What was done, and what leaves"),
         tr("Every edit is a sentence with its reason (Ctrl+L). Look everything over before the "
            "mix leaves, then Deliver (Ctrl+R) writes it in all the forms that are wanted."),
         [this] { showLogbook(); }},
        {tr("Where to look things up"),
         tr("F1 opens the manual at the page you are on, Ctrl+/ shows every key, and hovering "
            "says what a thing does. Recordings are only ever read: nothing you do here changes "
            "them."),
         [cell] { cell(Column::gate); }}};
}

void MainWindow::showGuide() {
    if (workspace_.empty()) return say(tr("Open the demo kit or a session first."));
    guide_->begin();
}

// Once, over the first session that somebody takes in.
void MainWindow::offerGuide() {
    if (!options_.remember || QSettings().value("guide-shown").toBool()) return;
    QSettings().setValue("guide-shown", true);
    guide_->begin();
}

}  // namespace ember::app
