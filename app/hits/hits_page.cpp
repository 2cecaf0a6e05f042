#include "app/hits/hits_page.h"

#include "app/widgets/figures.h"
#include "core/base/error.h"
#include "core/report/measure_json.h"
#include "core/report/midi_write.h"
#include "core/session/file.h"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QShortcut>
#include <QVBoxLayout>

#include <cmath>
#include <map>

namespace ember::app {
namespace {

QString word(StrokeKind kind) {
    return QString::fromUtf8(toString(kind).data());
}

}  // namespace

HitsPage::HitsPage(Workspace& workspace, Player& player, Listener& listener, QWidget* parent)
    : QWidget(parent), workspace_(workspace), player_(player), listener_(listener) {
    setObjectName("hits-page");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(10, 6, 10, 6);
    box->setSpacing(6);
    auto* bar = new QHBoxLayout;
    bar->setSpacing(6);
    drum_ = new QComboBox(this);
    drum_->setObjectName("hits-drum");
    drum_->setAccessibleName(tr("Drum"));
    drum_->setToolTip(tr("Whose strokes are shown, stepped through and exported."));
    drum_->addItem(tr("every drum"), QString());
    kind_ = new QComboBox(this);
    kind_->setObjectName("hits-kind");
    kind_->setAccessibleName(tr("Kind of stroke"));
    kind_->setToolTip(
        tr("Wedges are accents (tall) and normal strokes (short), rings are ghost "
           "notes, double lines are the grace notes of flams."));
    kind_->addItem(tr("every kind"), -1);
    for (const StrokeKind kind :
         {StrokeKind::accent, StrokeKind::normal, StrokeKind::ghost, StrokeKind::flam})
        kind_->addItem(word(kind), static_cast<int>(kind));
    const auto button = [&](const QString& text, const QString& help) {
        auto* b = new QPushButton(text, this);
        b->setToolTip(help);
        return b;
    };
    bleed_ = button(tr("Bleed"), tr("Also marks what close microphones heard of other drums, as "
                                    "dashes at the foot of their tracks."));
    bleed_->setCheckable(true);
    draw_ = button(tr("Curves"), tr("What moves along the song by itself: levels, sends, any "
                                    "parameter (C)."));
    draw_->setObjectName("hits-curves");
    draw_->setCheckable(true);
    song_ = button(tr("Song"), tr("The whole song (Home)."));
    bar_ = button(tr("One bar"), tr("The bar of the chosen stroke or of the playhead (G)."));
    export_ = button(tr("Export …"), tr("The strokes shown as CSV or as a MIDI file."));
    tempo_ = new QToolButton(this);
    tempo_->setObjectName("hits-tempo");
    tempo_->setPopupMode(QToolButton::InstantPopup);
    time_ = new TimeMenu(workspace, player, listener, tempo_);
    tempo_->setMenu(time_);
    tempo_->setToolTip(tr("Tempo and bar line as the strokes tell them."));
    pattern_ = new QToolButton(this);
    pattern_->setObjectName("hits-pattern");
    pattern_->setPopupMode(QToolButton::InstantPopup);
    pattern_->setText(tr("Pattern"));
    pattern_->setToolTip(tr("Notes that are programmed, beside the strokes that were heard."));
    notes_ = new PatternMenu(workspace, pattern_);
    pattern_->setMenu(notes_);
    count_ = new QLabel(this);
    count_->setObjectName("hits-count");
    count_->setProperty("quiet", true);
    for (QWidget* w : std::initializer_list<QWidget*>{drum_, kind_, bleed_}) bar->addWidget(w);
    bar->addWidget(count_, 1);
    for (QWidget* w :
         std::initializer_list<QWidget*>{tempo_, pattern_, draw_, song_, bar_, export_})
        bar->addWidget(w);
    box->addLayout(bar);
    line_ = new TimeLine(workspace, player, listener, this);
    box->addWidget(line_, 1);
    curves_ = new CurvePanel(workspace, player, listener, *line_, this);
    curves_->hide();
    box->addWidget(curves_);
    chosen_ = new QLabel(this);
    chosen_->setObjectName("hits-chosen");
    chosen_->setTextFormat(Qt::PlainText);
    box->addWidget(chosen_);

    connect(drum_, &QComboBox::activated, this, &HitsPage::filterChanged);
    connect(kind_, &QComboBox::activated, this, &HitsPage::filterChanged);
    connect(bleed_, &QPushButton::toggled, this, &HitsPage::filterChanged);
    connect(draw_, &QPushButton::toggled, this, [this](bool on) {
        curves_->setVisible(on);
        refresh();
    });
    auto* key = new QShortcut(QKeySequence(Qt::Key_C), this, nullptr, nullptr,
                              Qt::WidgetWithChildrenShortcut);
    connect(key, &QShortcut::activated, draw_, &QPushButton::toggle);
    connect(&curves_->lane(), &CurveLane::selectionChanged, this, &HitsPage::refresh);
    connect(song_, &QPushButton::clicked, line_, &TimeLine::showSong);
    connect(bar_, &QPushButton::clicked, line_, &TimeLine::showBar);
    connect(export_, &QPushButton::clicked, this, &HitsPage::chooseExport);
    connect(time_, &TimeMenu::said, this, &HitsPage::said);
    connect(notes_, &PatternMenu::said, this, &HitsPage::said);
    connect(line_, &TimeLine::selectionChanged, this, &HitsPage::refresh);
    connect(&listener_, &Listener::changed, this, &HitsPage::refresh);
    connect(&listener_, &Listener::progressed, this, [this](double, const QString&) {
        if (isVisible() && !listener_.measured()) refresh();
    });
    connect(&workspace_, &Workspace::opened, this, [this] {
        drum_->clear();
        drum_->addItem(tr("every drum"), QString());
        for (const std::string& drum : line_->drums())
            drum_->addItem(line_->nameOf(drum), QString::fromStdString(drum));
        kind_->setCurrentIndex(0);
        filterChanged();
    });
    connect(&workspace_, &Workspace::changed, this, [this] { refresh(); });
    refresh();
}

void HitsPage::tick() {
    line_->tick();
    if (curves_->isVisible()) curves_->tick();
}

void HitsPage::showCurve(const CurvePlace& place) {
    draw_->setChecked(true);
    curves_->show(place);
}

void HitsPage::filterChanged() {
    StrokeFilter filter;
    filter.drum = drum_->currentData().toString().toStdString();
    if (const int kind = kind_->currentData().toInt(); kind >= 0)
        filter.kind = static_cast<StrokeKind>(kind);
    filter.bleed = bleed_->isChecked();
    line_->setFilter(filter);
    refresh();
}

void HitsPage::refresh() {
    const auto measured = listener_.measured();
    const Session& session = workspace_.session();
    const bool notes = !session.pattern.get().notes.empty();
    export_->setEnabled(measured != nullptr || notes);
    tempo_->setEnabled(!workspace_.empty());
    pattern_->setEnabled(!workspace_.empty());
    if (!measured && !notes) {
        count_->setText(!listener_.problem().isEmpty() ? listener_.problem()
                                                       : tr("Listening to the kit …"));
        tempo_->setText(tr("Tempo …"));
        chosen_->clear();
        return;
    }
    std::map<StrokeKind, int> kinds;
    int all = 0;
    for (const Stroke& s : line_->strokes()) {
        ++kinds[s.kind];
        ++all;
    }
    QStringList parts;
    for (const auto& [kind, n] : kinds) parts << tr("%1 %2").arg(n).arg(word(kind));
    count_->setText(all == 0 ? tr("no such strokes")
                             : tr("%1 strokes: %2").arg(all).arg(parts.join(", ")));
    const TimeMap& time = session.time;
    const KitTiming timing = measured ? measured->timing : KitTiming{};
    // A programmed part has its time from a person.
    const bool told = !measured || measured->strokes.strokes.empty() || time.tempos.size() > 1 ||
                      time.metres.size() > 1,
               same = std::abs(timing.bpm - time.tempos.front().bpm) < 0.05 &&
                      std::abs(timing.firstBar - time.start) < 0.02;
    tempo_->setText(told || same ? QString::fromStdString(tempoText(time))
                                 : tr("%1 bpm, bar at %2 s?")
                                       .arg(figure(timing.bpm, 2))
                                       .arg(figure(timing.firstBar, 2)));
    if (curves_->isVisible() && !curves_->lane().selectedText().isEmpty() && !line_->hasFocus()) {
        chosen_->setText(curves_->lane().selectedText());
    } else if (const auto& s = line_->selected()) {
        QString sure = s->mic.empty() ? tr("a note of the pattern")
                       : s->byHand    ? tr("set by hand")
                                      : tr("%1 % sure").arg(figure(100.0 * s->confidence, 0));
        const Row* mic = findRow(session, s->mic);
        chosen_->setText(
            tr("%1, %2, at %3 s%4, velocity %5, %6.   ← → steps, Alt+← → moves 1 ms (with Shift "
               "one sample), 1 2 3 4 names the kind, Page Up and Down the velocity, Delete removes")
                .arg(line_->nameOf(s->drum), word(s->kind))
                .arg(figure(s->time, 4))
                .arg(mic != nullptr ? tr(" in %1").arg(QString::fromStdString(mic->name))
                                    : QString())
                .arg(figure(s->velocity, 2))
                .arg(sure));
    } else {
        chosen_->setText(
            tr("No stroke chosen.   ← → steps from stroke to stroke, double-click "
               "adds one, the wheel zooms"));
    }
}

bool HitsPage::exportTo(const QString& path) {
    const std::filesystem::path file(path.toStdString());
    try {
        KitStrokes chosen;
        chosen.strokes = line_->strokes();
        if (file.extension() == ".mid" || file.extension() == ".midi") {
            writeStrokesMidi(workspace_.session(), chosen.strokes, file);
        } else if (file.extension() == ".csv") {
            writeAtomically(file, strokesCsv(workspace_.session(), chosen), false);
        } else {
            throw Error("“" + file.filename().string() +
                        "” should end in .csv or .mid, so that the kind of file is clear.");
        }
        emit said(tr("%1 strokes written to %2").arg(chosen.strokes.size()).arg(path), false);
        return true;
    } catch (const std::exception& error) {
        emit said(QString::fromUtf8(error.what()), true);
        return false;
    }
}

void HitsPage::chooseExport() {
    const QString start =
        QDir::homePath() + "/" + QString::fromStdString(workspace_.session().name) + " strokes.mid";
    QString chosen = QFileDialog::getSaveFileName(this, tr("Export the strokes"), start,
                                                  tr("MIDI file (*.mid);;Table (*.csv)"));
    if (chosen.isEmpty()) return;
    if (QFileInfo(chosen).suffix().isEmpty()) chosen += ".mid";
    exportTo(chosen);
}

}  // namespace ember::app
