#include "app/hits/pattern_menu.h"

#include "core/advise/programmed.h"
#include "core/base/error.h"
#include "core/report/midi_write.h"

#include <QDir>
#include <QFileDialog>
#include <QInputDialog>

namespace ember::app {

PatternMenu::PatternMenu(Workspace& workspace, QWidget* parent)
    : QMenu(parent), workspace_(workspace) {
    setToolTipsVisible(true);
    connect(this, &QMenu::aboutToShow, this, &PatternMenu::fill);
}

void PatternMenu::fill() {
    clear();
    const bool any = !workspace_.session().pattern.get().notes.empty();
    const auto add = [this](const QString& text, const QString& help, auto what) {
        QAction* action = addAction(text, this, what);
        action->setToolTip(help);
        return action;
    };
    const auto choose = [this](bool beside) {
        const QString path = QFileDialog::getOpenFileName(this, tr("Notes from a MIDI file"), {},
                                                          tr("MIDI files (*.mid *.midi *.MID)"));
        if (!path.isEmpty()) take(path, beside);
    };
    add(any ? tr("Other notes from a MIDI file …") : tr("Notes from a MIDI file …"),
        tr("The file's notes become the pattern, each at its tick."), [choose] { choose(false); });
    if (!any) return;
    add(tr("More notes from a MIDI file …"), tr("Beside the notes that are there."),
        [choose] { choose(true); });
    addSeparator();
    add(tr("Humanise …"), tr("Lets notes stray from the grid and in velocity, within limits."),
        [this] { askHumanise(); });
    add(tr("Correct what is far off …"),
        tr("Moves only notes that lie further from the grid than a limit."),
        [this] { askCorrect(); });
    addSeparator();
    add(tr("Write a MIDI file …"), tr("Every note at its tick, one track a drum."), [this] {
        QString path = QFileDialog::getSaveFileName(
            this, tr("Write the pattern"),
            QDir::homePath() + "/" + QString::fromStdString(workspace_.session().name) + ".mid",
            tr("MIDI file (*.mid)"));
        if (!path.isEmpty()) write(path);
    });
    add(tr("Remove all notes"), tr("Empties the pattern; undo brings it back."), [this] {
        Session next = workspace_.session();
        next.pattern = {};
        workspace_.edit(std::move(next));
    });
}

void PatternMenu::take(const QString& path, bool beside) {
    std::vector<std::string> remarks;
    workspace_.attempt(
        [&] { return withMidiNotes(workspace_.session(), path.toStdString(), beside, remarks); });
    QStringList words;
    for (const std::string& remark : remarks) words << QString::fromStdString(remark);
    if (!words.isEmpty()) emit said(words.join(QLatin1Char(' ')), false);
}

void PatternMenu::write(const QString& path) {
    try {
        writePatternMidi(workspace_.session(), workspace_.session().pattern.get(),
                         path.toStdString());
        emit said(tr("%1 notes written to %2")
                      .arg(workspace_.session().pattern.get().notes.size())
                      .arg(path),
                  false);
    } catch (const std::exception& error) {
        emit said(QString::fromUtf8(error.what()), true);
    }
}

void PatternMenu::humanise(double timingMs, double velocity) {
    workspace_.attempt([&] {
        Session next = workspace_.session();
        // Again gives another try.
        const auto seed = static_cast<std::uint64_t>(workspace_.document().log().size()) + 1;
        next.pattern = Shared(humanised(next.pattern.get(), next.time, {timingMs, velocity, seed}));
        return next;
    });
}

void PatternMenu::correct(double limitMs, double share) {
    int moved = 0;
    workspace_.attempt([&] {
        Session next = workspace_.session();
        Pattern pattern = next.pattern.get();
        moved = correctOutliers(pattern, next.time, 4, limitMs, share);
        next.pattern = Shared(std::move(pattern));
        return next;
    });
    emit said(moved == 1 ? tr("1 note moved.") : tr("%1 notes moved.").arg(moved), false);
}

void PatternMenu::askHumanise() {
    bool good = false;
    const double timing = QInputDialog::getDouble(
        this, tr("Humanise"), tr("Milliseconds off the grid at most"), 8.0, 0.0, 100.0, 1, &good);
    if (!good) return;
    const double velocity = QInputDialog::getDouble(
        this, tr("Humanise"), tr("Velocity up or down at most, %"), 8.0, 0.0, 100.0, 0, &good);
    if (good) humanise(timing, 0.01 * velocity);
}

void PatternMenu::askCorrect() {
    bool good = false;
    const double limit =
        QInputDialog::getDouble(this, tr("Correct what is far off"),
                                tr("Milliseconds off the sixteenths from which a note is moved"),
                                20.0, 0.0, 500.0, 1, &good);
    if (!good) return;
    const double share =
        QInputDialog::getDouble(this, tr("Correct what is far off"),
                                tr("How much of it is taken back, %"), 100.0, 0.0, 100.0, 0, &good);
    if (good) correct(limit, 0.01 * share);
}

}  // namespace ember::app
