#include "app/hits/time_menu.h"

#include "app/widgets/figures.h"
#include "core/session/midi_time.h"

#include <QDir>
#include <QFileDialog>
#include <QInputDialog>

#include <cmath>

namespace ember::app {

TimeMenu::TimeMenu(Workspace& workspace, Player& player, Listener& listener, QWidget* parent)
    : QMenu(parent), workspace_(workspace), player_(player), listener_(listener) {
    connect(this, &QMenu::aboutToShow, this, &TimeMenu::fill);
}

void TimeMenu::use(TimeMap time) {
    Session next = workspace_.session();
    next.time = std::move(time);
    workspace_.edit(std::move(next));
}

void TimeMenu::fill() {
    clear();
    addTold();
    addMeasured();
}

// What a person knows better.
void TimeMenu::addTold() {
    const TimeMap& time = workspace_.session().time;
    const int here = std::max(0, barAt(time, player_.position()));
    addAction(tr("Tempo of the whole song …"), this, [this] { askTempo(0, true); });
    if (here > 0)
        addAction(tr("Tempo from bar %1 on …").arg(here + 1), this,
                  [this, here] { askTempo(here, false); });
    addMetres(tr("Metre of the whole song"), "hits-metre", 0, true);
    if (here > 0)
        addMetres(tr("Metre from bar %1 on").arg(here + 1), "hits-metre-here", here, false);
    if (const TimeMap without = withoutChangesAt(time, here); without != time)
        addAction(tr("No change at bar %1").arg(here + 1), this, [this, without] { use(without); });
    addAction(tr("Bar 1 begins at the playhead"), this, [this] {
        TimeMap moved = workspace_.session().time;
        moved.start = player_.position();
        use(std::move(moved));
    });
    addAction(tr("From a MIDI file …"), this, [this] {
        const QString path =
            QFileDialog::getOpenFileName(this, tr("Tempi and metres from a MIDI file"),
                                         QDir::homePath(), tr("MIDI files (*.mid *.midi *.MID)"));
        if (!path.isEmpty()) takeMidi(path);
    });
}

void TimeMenu::addMetres(const QString& title, const QString& name, int bar, bool whole) {
    QMenu* metres = addMenu(title);
    metres->setObjectName(name);
    const MetreChange& now = metreAt(workspace_.session().time, bar);
    for (const char* text :
         {"2/4", "3/4", "4/4", "5/4", "6/4", "7/4", "3/8", "6/8", "7/8", "9/8", "12/8"}) {
        const MetreChange metre = metreFrom(text);
        QAction* action = metres->addAction(text, this, [this, metre, bar, whole] {
            TimeMap time = workspace_.session().time;
            if (whole) time.metres.resize(1);
            use(withMetreFrom(std::move(time), bar, metre.beats, metre.unit));
        });
        action->setCheckable(true);
        action->setChecked(now.beats == metre.beats && now.unit == metre.unit);
    }
}

void TimeMenu::askTempo(int bar, bool whole) {
    const TimeMap& now = workspace_.session().time;
    bool taken = false;
    const double bpm =
        QInputDialog::getDouble(this, whole ? tr("Tempo") : tr("Tempo from bar %1 on").arg(bar + 1),
                                tr("Quarter notes a minute"), tempoAt(now, secondsOfBar(now, bar)),
                                kSlowestTempo, kFastestTempo, 2, &taken);
    if (!taken) return;
    TimeMap time = workspace_.session().time;
    if (whole) time.tempos.resize(1);
    use(withTempoFrom(std::move(time), bar, bpm));
}

// What the strokes say.
void TimeMenu::addMeasured() {
    const auto measured = listener_.measured();
    if (!measured || measured->timing.bpm <= 0.0) return;
    addSeparator();
    const KitTiming& t = measured->timing;
    const auto steady = [&](const QString& text, double bpm) {
        addAction(text, this, [this, bpm, start = t.firstBar] {
            // The bars are counted from one place whatever the beat is called.
            const MetreChange& metre = workspace_.session().time.metres.front();
            use(steadyTime(std::round(bpm * 100.0) / 100.0, start, metre.beats, metre.unit));
        });
    };
    steady(tr("Use %1 bpm and the bar line at %2 s (%3 % on the grid)")
               .arg(figure(t.bpm, 2))
               .arg(figure(t.firstBar, 3))
               .arg(figure(100.0 * t.confidence, 0)),
           t.bpm);
    for (const double other : t.alternatives)
        steady(
            tr("%1: %2 bpm").arg(other < t.bpm ? tr("Half") : tr("Double")).arg(figure(other, 2)),
            other);
    addAction(tr("Follow the drummer: a tempo for every bar"), this, &TimeMenu::follow);
    addSeparator();
    for (const DrumTiming& d : t.drums) {
        const QString side = d.offsetMs < -0.05 ? tr("ahead") : tr("behind");
        addAction(tr("%1: %2 ms %3, spread %4 ms")
                      .arg(QString::fromStdString(drumName(workspace_.session(), d.drum)))
                      .arg(figure(std::abs(d.offsetMs), 1))
                      .arg(side)
                      .arg(figure(d.spreadMs, 1)))
            ->setEnabled(false);
    }
}

void TimeMenu::follow() {
    const auto measured = listener_.measured();
    if (!measured) return;
    try {
        TimeMap time = followStrokes(measured->strokes.strokes, workspace_.session().time);
        const QString sentence = tr("%1 bars followed, %2")
                                     .arg(time.tempos.size())
                                     .arg(QString::fromStdString(tempoText(time)));
        use(std::move(time));
        emit said(sentence, false);
    } catch (const std::exception& error) {
        emit said(QString::fromUtf8(error.what()), true);
    }
}

void TimeMenu::takeMidi(const QString& path) {
    try {
        TimeMap time = loadMidiTime(path.toStdString());
        const QString sentence = tr("%1, %2, from %3")
                                     .arg(QString::fromStdString(tempoText(time)),
                                          QString::fromStdString(metreText(time)), path);
        use(std::move(time));
        emit said(sentence, false);
    } catch (const std::exception& error) {
        emit said(QString::fromUtf8(error.what()), true);
    }
}

}  // namespace ember::app
