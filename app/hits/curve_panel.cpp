#include "app/hits/curve_panel.h"

#include "app/hits/movement_dialogs.h"
#include "app/hits/stroke_opening_dialog.h"
#include "core/measure/strokes/played.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include <algorithm>

namespace ember::app {

CurvePanel::CurvePanel(Workspace& workspace, Player& player, Listener& listener, TimeLine& line,
                       QWidget* parent)
    : QWidget(parent), workspace_(workspace), listener_(listener) {
    setObjectName("curve-panel");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    auto* bar = new QHBoxLayout;
    bar->setSpacing(6);
    const auto combo = [&](const char* name, const QString& accessible, const QString& help) {
        auto* c = new QComboBox(this);
        c->setObjectName(name);
        c->setAccessibleName(accessible);
        c->setToolTip(help);
        bar->addWidget(c);
        return c;
    };
    row_ = combo("curve-row", tr("Element"), tr("Whose parameter moves along the song."));
    what_ = combo("curve-parameter", tr("Parameter"),
                  tr("What moves; a wave stands before what a curve moves already."));
    what_->setMinimumContentsLength(24);
    bars_ = combo("curve-bars", tr("Repeats"),
                  tr("Along the whole song, or a shape that begins anew every so many bars."));
    bars_->addItem(tr("along the song"), 0);
    for (const int n : {1, 2, 4, 8, 16})
        bars_->addItem(n == 1 ? tr("anew every bar") : tr("anew every %1 bars").arg(n), n);
    const auto button = [&](const char* name, const QString& text, const QString& help) {
        auto* b = new QPushButton(text, this);
        b->setObjectName(name);
        b->setToolTip(help);
        bar->addWidget(b);
        return b;
    };
    on_ = button("curve-on", tr("Follows it"),
                 tr("Let go to hear what is set by hand in its place; the curve stays drawn."));
    on_->setCheckable(true);
    strokes_ = button("curve-strokes", tr("Open at strokes …"),
                      tr("Draws a curve that stands open at the strokes you choose, and closed "
                         "between them: a send for every second snare, say."));
    wave_ = button("curve-wave", tr("Wave …"),
                   tr("Draws a slow wave that begins anew every so many bars."));
    together_ = button("curve-together", tr("Together …"),
                       tr("One movement that several parameters follow, each as far as you say."));
    clear_ = button("curve-clear", tr("Take away"), tr("No curve moves it any more."));
    bar->addStretch(1);
    box->addLayout(bar);
    lane_ = new CurveLane(workspace, player, line, this);
    box->addWidget(lane_);

    connect(row_, &QComboBox::activated, this, [this] {
        fillParameters();
        choose();
    });
    connect(what_, &QComboBox::activated, this, &CurvePanel::choose);
    connect(bars_, &QComboBox::activated, this, [this] { setBars(bars_->currentData().toInt()); });
    connect(on_, &QPushButton::clicked, this, [this](bool on) {
        const auto place = lane_->place();
        const Curve* known = place ? findCurve(workspace_.session(), *place) : nullptr;
        if (known == nullptr) return;
        Curve next = *known;
        next.on = on;
        workspace_.attempt([&] { return withCurve(workspace_.session(), *place, next); });
    });
    connect(strokes_, &QPushButton::clicked, this, &CurvePanel::openAtStrokes);
    connect(wave_, &QPushButton::clicked, this, &CurvePanel::drawWave);
    connect(together_, &QPushButton::clicked, this, &CurvePanel::moveTogether);
    connect(clear_, &QPushButton::clicked, this, [this] {
        const auto place = lane_->place();
        if (!place) return;
        lane_->select(-1);
        workspace_.attempt([&] { return withoutCurve(workspace_.session(), *place); });
    });
    connect(&workspace_, &Workspace::opened, this, [this] {
        fillRows();
        fillParameters();
        choose();
    });
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        if (diff.structural) {
            fillRows();
            fillParameters();
        }
        refresh();
    });
    connect(lane_, &CurveLane::selectionChanged, this, &CurvePanel::refresh);
    fillRows();
    fillParameters();
    choose();
}

void CurvePanel::fillRows() {
    const QSignalBlocker quiet(row_);
    const QString was = row_->currentData().toString();
    row_->clear();
    for (const Row& row : workspace_.session().rows) {
        if (row.kind == RowKind::reference) continue;
        row_->addItem(QString::fromStdString(row.name), QString::fromStdString(row.id));
    }
    row_->setCurrentIndex(std::max(0, row_->findData(was)));
}

void CurvePanel::fillParameters() {
    const QSignalBlocker quiet(what_);
    const QString was = what_->currentData().toString();
    const std::string row = row_->currentData().toString().toStdString();
    what_->clear();
    places_.clear();
    if (!row.empty()) places_ = curvePlaces(workspace_.session(), row);
    // The level first: it is what one rides.
    std::stable_partition(places_.begin(), places_.end(),
                          [](const CurvePlace& p) { return p.stage == "seat"; });
    for (const CurvePlace& place : places_) {
        const bool drawn = findCurve(workspace_.session(), place) != nullptr;
        what_->addItem((drawn ? QStringLiteral("∿ ") : QString()) +
                           QString::fromStdString(curveTitle(workspace_.session(), place)),
                       QString::fromStdString(toText(place)));
    }
    what_->setCurrentIndex(std::max(0, what_->findData(was)));
    // What was shown may have gone.
    const auto& shown = lane_->place();
    if (shown && std::find(places_.begin(), places_.end(), *shown) == places_.end()) choose();
}

void CurvePanel::choose() {
    const int index = what_->currentIndex();
    if (index < 0 || index >= static_cast<int>(places_.size()))
        lane_->show(std::nullopt);
    else
        lane_->show(places_[static_cast<std::size_t>(index)]);
    refresh();
}

void CurvePanel::show(const CurvePlace& place) {
    fillRows();
    row_->setCurrentIndex(row_->findData(QString::fromStdString(place.row)));
    fillParameters();
    what_->setCurrentIndex(what_->findData(QString::fromStdString(toText(place))));
    choose();
    lane_->setFocus();
}

void CurvePanel::refresh() {
    const auto& place = lane_->place();
    const Curve* c = place ? findCurve(workspace_.session(), *place) : nullptr;
    for (QWidget* w : std::initializer_list<QWidget*>{bars_, on_, clear_})
        w->setEnabled(c != nullptr);
    for (QWidget* w : std::initializer_list<QWidget*>{strokes_, wave_, together_})
        w->setEnabled(place.has_value());
    // Who moves with it is said where one asks for it.
    together_->setText(
        c != nullptr && c->together
            ? tr("With %1 …")
                  .arg(fontMetrics().elidedText(QString::fromStdString(c->together->movement),
                                                Qt::ElideRight, 90))
            : tr("Together …"));
    on_->setChecked(c != nullptr && c->on);
    const QSignalBlocker quiet(bars_);
    const int at = bars_->findData(c != nullptr ? c->bars : 0);
    if (at < 0) bars_->addItem(tr("anew every %1 bars").arg(c->bars), c->bars);
    bars_->setCurrentIndex(at < 0 ? bars_->count() - 1 : at);
}

void CurvePanel::setBars(int bars) {
    const auto& place = lane_->place();
    const Curve* known = place ? findCurve(workspace_.session(), *place) : nullptr;
    if (known == nullptr) return;
    Curve next = *known;
    next.bars = bars;
    // Points that lie before bar 1 have no place in what repeats.
    if (bars > 0) {
        for (CurvePoint& p : next.points) p.quarter = std::max(0.0, p.quarter);
    }
    workspace_.attempt([&] { return withCurve(workspace_.session(), *place, next); });
}

void CurvePanel::openAtStrokes() {
    const auto place = lane_->place();
    if (!place) return;
    const Session session = listener_.withStrokesHeard(workspace_.session());
    StrokeOpeningDialog dialog(session, *place, this);
    if (dialog.exec() != QDialog::Accepted) return;
    workspace_.attempt([&] {
        return withCurve(workspace_.session(), *place,
                         curveByStrokes(session, *place, playedStrokes(session), dialog.opening()));
    });
}

void CurvePanel::drawWave() {
    const auto place = lane_->place();
    if (!place) return;
    WaveDialog dialog(workspace_.session(), *place, this);
    if (dialog.exec() != QDialog::Accepted) return;
    lane_->select(-1);
    workspace_.attempt([&] {
        return withCurve(workspace_.session(), *place,
                         waveCurve(workspace_.session(), *place, dialog.wave()));
    });
}

void CurvePanel::moveTogether() {
    const auto place = lane_->place();
    if (!place) return;
    TogetherDialog dialog(workspace_.session(), *place, this);
    if (dialog.exec() != QDialog::Accepted) return;
    lane_->select(-1);
    workspace_.attempt([&] {
        return dialog.alone() ? withoutMovement(workspace_.session(), *place)
                              : withMovement(workspace_.session(), *place, dialog.movement(),
                                             dialog.lowest(), dialog.highest());
    });
}

}  // namespace ember::app
