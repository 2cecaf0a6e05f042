#include "app/flow/low_end_page.h"

#include "app/board/row_report_dialog.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "app/widgets/offers.h"
#include "app/widgets/quiet_table.h"
#include "core/base/background.h"
#include "core/base/error.h"

#include <QHBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <array>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kBandsFromDb = -36.0, kBandsToDb = 6.0;
constexpr double kStrokesFromDb = -24.0, kStrokesToDb = 24.0;
constexpr double kLead = 1.0;  // seconds before a stroke from which it is played

QString hertz(const LowOctave& octave) {
    return QObject::tr("%1 Hz").arg(figure(std::sqrt(octave.low * octave.high), 0));
}

QString ownerText(LowOwner owner) {
    switch (owner) {
        case LowOwner::kick:
            return QObject::tr("the kick’s");
        case LowOwner::bass:
            return QObject::tr("the bass’s");
        case LowOwner::both:
            return QObject::tr("shared");
        case LowOwner::nobody:
            break;
    }
    return QObject::tr("nobody’s");
}

// A level in steps, each a third of an octave wide.
void addSteps(Plot* plot, const LowEnd& found, const std::vector<double>& levels, const QPen& pen,
              const QColor& fill) {
    QVector<double> x, y;
    const double half = std::exp2(1.0 / 6.0);
    for (std::size_t i = 0; i < levels.size(); ++i) {
        for (const double edge : {found.thirds[i] / half, found.thirds[i] * half}) {
            x.push_back(edge);
            y.push_back(std::max(kBandsFromDb - 10.0, levels[i]));
        }
    }
    QCPGraph* graph = plot->addGraph();
    graph->setPen(pen);
    graph->setData(x, y, true);
    if (!fill.isValid()) return;
    // Down to the bottom of the plot, wherever zero is.
    QCPGraph* floor = plot->addGraph();
    floor->setPen(Qt::NoPen);
    floor->setData({x.first(), x.last()}, {kBandsFromDb - 20.0, kBandsFromDb - 20.0}, true);
    graph->setBrush(fill);
    graph->setChannelFillGraph(floor);
}

}  // namespace

LowEndPage::LowEndPage(Workspace& workspace, Listener& listener, Player& player, QWidget* parent)
    : QWidget(parent), workspace_(workspace), listener_(listener), player_(player) {
    setObjectName("low-end-page");
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(0, 0, 0, 0);
    across->setSpacing(14);
    auto* left = new QVBoxLayout;
    left->setSpacing(6);
    auto* head = new QHBoxLayout;
    head->addWidget(titleLabel(tr("Kick and bass, before the rest"), this));
    state_ = quietLabel(this, "low-state");
    state_->setWordWrap(false);
    head->addWidget(state_, 1);
    stop_ = namedButton(tr("Stop"), "low-stop", tr("Stops listening to kick and bass."), this);
    head->addWidget(stop_);
    left->addLayout(head);
    bands_ = new Plot(this);
    bands_->setObjectName("low-bands");
    bands_->setAccessibleName(tr("Kick, bass and their sum by thirds of an octave"));
    bands_->setToolTip(
        tr("What sounds under the kick’s strokes, by thirds of an octave: the kick filled, the "
           "bass as a dashed line, their sum as a thin one."));
    bands_->setupFrequencyAxis(kBandsFromDb, kBandsToDb);
    bands_->setMinimumHeight(170);
    left->addWidget(bands_, 3);
    strokes_ = new Plot(this);
    strokes_->setObjectName("low-strokes");
    strokes_->setAccessibleName(tr("How far every stroke of the kick stands over the bass"));
    strokes_->setToolTip(
        tr("Every stroke of the kick: how far it stands over the bass in the kick’s own octave. "
           "Under the dashed line the bass is in its way."));
    strokes_->setupTimeAxis(tr("dB over the bass"), kStrokesFromDb, kStrokesToDb);
    strokes_->setMinimumHeight(110);
    left->addWidget(strokes_, 2);
    octaves_ = quietTable({tr("Octave"), tr("Kick"), tr("Bass"), tr("Is"), tr("In the way"),
                           tr("The sum"), tr("Inverted")},
                          this);
    octaves_->setObjectName("low-octaves");
    octaves_->setAccessibleName(tr("Who owns which octave"));
    const std::array<QString, 7> tips{
        QString(),
        tr("Under its strokes, against the loudest octave of both."),
        tr("The same moments of the bass."),
        tr("Whose octave it is: who stands 3 dB over the other."),
        tr("Under how many of the kick’s strokes the bass lies less than 6 dB under it, or over."),
        tr("Their sum against both powers: +3 dB where they agree wholly, 0 where they have "
           "nothing to do with each other, far below where they cancel."),
        tr("The same with one of them inverted.")};
    for (std::size_t c = 0; c < tips.size(); ++c)
        octaves_->horizontalHeaderItem(static_cast<int>(c))->setToolTip(tips[c]);
    octaves_->setFixedHeight(146);
    left->addWidget(octaves_);
    across->addLayout(left, 1);
    across->addWidget(makePanel());

    connect(stop_, &QPushButton::clicked, this, [this] { stopped_ = abandon_ = true; });
    connect(&running_, &QFutureWatcherBase::finished, this, &LowEndPage::finish);
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        if (!diff.rows.empty() || diff.structural) measure();
    });
    connect(&workspace_, &Workspace::opened, this, [this] {
        known_ = false;
        words_->clear();
        state_->clear();
        draw();
        measure();
    });
    connect(&listener_, &Listener::changed, this, [this] {
        if (listener_.measured() != of_) measure();
    });
    connect(&player_, &Player::previewChanged, this, [this](bool on) {
        if (on) return;
        hears_ = false;
        alone_->setChecked(false);
    });
    draw();
}

LowEndPage::~LowEndPage() {
    abandon_ = true;
    running_.waitForFinished();
}

QWidget* LowEndPage::makePanel() {
    const auto [scroll, side] = sidePanel(310, this);
    QWidget* panel = scroll->widget();
    auto* listen = new QHBoxLayout;
    listen->setSpacing(6);
    alone_ = namedButton(tr("Hear both alone"), "low-alone",
                         tr("Kick and bass with the buses they go through, and nothing else, from "
                            "the next beat on; again: the mix."),
                         panel);
    alone_->setCheckable(true);
    listen->addWidget(alone_);
    worst_ = namedButton(tr("To the worst place"), "low-worst",
                         tr("Goes to a second before the stroke over which the bass stands most."),
                         panel);
    listen->addWidget(worst_);
    side->addLayout(listen);
    auto* room = namedButton(tr("Headroom …"), "low-headroom",
                             tr("What the kick alone, kick with bass, the drums and everything "
                                "peak at, and one trim for all of them."),
                             panel);
    side->addWidget(room, 0, Qt::AlignLeft);
    connect(room, &QPushButton::clicked, this, [this] {
        showRowReport(workspace_, player_, headroomReport(listener_.measured()), window());
    });
    words_ = new QLabel(panel);
    words_->setObjectName("low-words");
    words_->setWordWrap(true);
    side->addWidget(words_);
    side->addWidget(titleLabel(tr("What may be done"), panel));
    nothing_ = quietLabel(panel, "low-nothing");
    side->addWidget(nothing_);
    moves_ = new QVBoxLayout;
    moves_->setSpacing(8);
    side->addLayout(moves_);
    side->addStretch(1);
    scroll->setWidget(panel);
    connect(alone_, &QPushButton::clicked, this, &LowEndPage::hearAlone);
    connect(worst_, &QPushButton::clicked, this, &LowEndPage::goToWorst);
    return scroll;
}

void LowEndPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (stale_) measure();
}

void LowEndPage::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    if (hears_) hearAlone(false);
}

void LowEndPage::measure() {
    stale_ = true;
    if (!isVisible()) return;
    if (running_.isRunning()) {
        again_ = abandon_ = true;
        return;
    }
    stale_ = again_ = abandon_ = stopped_ = false;
    of_ = listener_.measured();
    // Near the end of the song as much as there is.
    constexpr double kSeconds = 60.0, kLeast = 20.0;
    const LoopSpan& loop = workspace_.session().loop;
    const double here = std::max(0.0, std::min(player_.position(), player_.length() - kLeast));
    const double from = loop.on ? loop.from : here, to = loop.on ? loop.to : here + kSeconds;
    const auto tell = [this](double part, const QString&) {
        if (running_.isRunning())
            state_->setText(
                tr("Listening to kick and bass, %1 %").arg(static_cast<int>(100.0 * part)));
    };
    running_.setFuture(QtConcurrent::run(
        [session = listener_.withStrokesHeard(workspace_.session()), store = &workspace_.store(),
         from, to, watch = watchedBy(this, abandon_, tell)] {
            stepBack();
            return outcomeOf(tr("Stopped; an edit measures anew."),
                             [&] { return lowEnd(session, *store, from, to, watch); });
        }));
    stop_->show();
}

void LowEndPage::finish() {
    if (again_) return measure();
    if (abandon_ && !stopped_) return;
    const auto outcome = running_.result();
    known_ = outcome.problem.isEmpty();
    if (known_) found_ = outcome.value;
    state_->setText(known_ ? tr("Kick filled, bass dashed, their sum thin") : QString());
    words_->setText(outcome.problem);
    draw();
}

void LowEndPage::draw() {
    stop_->setVisible(running_.isRunning());
    worst_->setEnabled(known_);
    alone_->setEnabled(known_);
    if (known_) {
        QStringList said;
        for (const std::string& text : lowEndText(workspace_.session(), found_))
            said << QString::fromStdString(text);
        words_->setText(said.join(QStringLiteral("\n\n")));
    }
    fillOctaves();
    fillMoves();
    drawBands();
    drawStrokes();
}

void LowEndPage::fillOctaves() {
    octaves_->setRowCount(0);
    if (!known_) return;
    for (const LowOctave& octave : found_.octaves) {
        const int line = octaves_->rowCount();
        octaves_->insertRow(line);
        const auto decibels = [](double db) { return tr("%1 dB").arg(change(db)); };
        const QStringList cells{hertz(octave),
                                decibels(octave.kickDb),
                                decibels(octave.bassDb),
                                ownerText(octave.owner),
                                tr("%1 %").arg(figure(100.0 * octave.clash, 0)),
                                decibels(octave.sumDb),
                                decibels(octave.flippedDb)};
        for (int c = 0; c < cells.size(); ++c) putText(octaves_, line, c, cells[c], {}, c > 0);
    }
}

void LowEndPage::fillMoves() {
    for (QWidget* shown : shownMoves_) shown->deleteLater();
    shownMoves_.clear();
    nothing_->setVisible(!known_ || found_.moves.empty());
    nothing_->setText(known_ ? tr("Nothing: where each of them is strongest it stands clear of the "
                                  "other, or has been given its room.")
                             : tr("Known once both are heard."));
    if (!known_) return;
    for (std::size_t i = 0; i < found_.moves.size(); ++i) {
        QWidget* one =
            offer(QString::fromStdString(lowMoveText(workspace_.session(), found_.moves[i])),
                  QStringLiteral("low-move-%1").arg(i), this,
                  [this, move = found_.moves[i]] { make(move); });
        moves_->addWidget(one);
        shownMoves_.push_back(one);
    }
}

void LowEndPage::drawBands() {
    const Palette& p = colours();
    bands_->applyLook();
    bands_->clearGraphs();
    bands_->clearItems();
    if (known_) {
        bands_->xAxis->setRange(found_.octaves.front().low, found_.octaves.back().high);
        const LowOctave& own = found_.octaves[found_.own];
        for (const LowOctave& octave : found_.octaves) {
            if (octave.low == found_.octaves.front().low) continue;
            auto* edge = new QCPItemLine(bands_);
            edge->start->setCoords(octave.low, kBandsFromDb);
            edge->end->setCoords(octave.low, kBandsToDb);
            edge->setPen(QPen(p.hoop, 1.0));
        }
        for (const LowOctave& octave : found_.octaves) {
            auto* name = new QCPItemText(bands_);
            name->position->setCoords(std::sqrt(octave.low * octave.high), kBandsToDb - 1.0);
            name->setPositionAlignment(Qt::AlignTop | Qt::AlignHCenter);
            name->setText(&octave == &own
                              ? tr("%1, the kick strongest").arg(ownerText(octave.owner))
                              : ownerText(octave.owner));
            name->setFont(face(12, &octave == &own ? QFont::DemiBold : QFont::Normal));
            name->setColor(octave.owner == LowOwner::nobody ? p.quiet : p.chalk);
        }
        addSteps(bands_, found_, found_.kick, QPen(p.ember, 2.0), faded(p.ember, 60));
        addSteps(bands_, found_, found_.bass, QPen(p.slate, 2.0, Qt::DashLine), {});
        addSteps(bands_, found_, found_.pair, QPen(p.chalk, 1.0), {});
        bands_->setAccessibleDescription(words_->text());
    }
    bands_->replot(QCustomPlot::rpQueuedReplot);
}

void LowEndPage::drawStrokes() {
    const Palette& p = colours();
    strokes_->applyLook();
    strokes_->clearGraphs();
    if (known_) {
        const double first = found_.strokes.front().time, last = found_.strokes.back().time;
        strokes_->xAxis->setRange(first - 0.5, last + 0.5);
        QCPGraph* clear = strokes_->addGraph();
        clear->setPen(QPen(p.quiet, 1.0, Qt::DashLine));
        clear->setData({first - 0.5, last + 0.5}, {kClearDb, kClearDb}, true);
        for (const bool inTheWay : {false, true}) {
            QVector<double> x, y;
            for (const LowStroke& stroke : found_.strokes) {
                if ((stroke.overDb < kClearDb) != inTheWay) continue;
                x.push_back(stroke.time);
                y.push_back(std::clamp(stroke.overDb, kStrokesFromDb + 1.0, kStrokesToDb - 1.0));
            }
            QCPGraph* graph = strokes_->addGraph();
            graph->setLineStyle(QCPGraph::lsNone);
            // A spur for what wants attention, a ring for what does not.
            graph->setScatterStyle(
                inTheWay ? QCPScatterStyle(QCPScatterStyle::ssTriangleInverted, p.alarm, 8.0)
                         : QCPScatterStyle(QCPScatterStyle::ssCircle, p.chalk, 6.0));
            graph->setData(x, y, true);
        }
        strokes_->setAccessibleDescription(tr("%1 strokes, usually %2 dB over the bass")
                                               .arg(found_.strokes.size())
                                               .arg(change(found_.overDb)));
    }
    strokes_->replot(QCustomPlot::rpQueuedReplot);
}

void LowEndPage::make(const LowMove& move) {
    try {
        LowMoveMade made = withLowMove(listener_.withStrokesHeard(workspace_.session()), move);
        const Why why{move.row, made.stage, lowMoveText(workspace_.session(), move)};
        workspace_.edit(std::move(made.session), {}, {why});
    } catch (const Error& error) {
        emit workspace_.refused(QString::fromUtf8(error.what()));
    }
}

void LowEndPage::hearAlone(bool on) {
    hears_ = on;
    alone_->setChecked(on);
    player_.preview(
        on ? std::optional(lowEndAlone(listener_.withStrokesHeard(workspace_.session())))
           : std::nullopt);
}

void LowEndPage::goToWorst() {
    const auto worst = std::min_element(
        found_.strokes.begin(), found_.strokes.end(),
        [](const LowStroke& a, const LowStroke& b) { return a.overDb < b.overDb; });
    if (worst != found_.strokes.end()) player_.seek(std::max(0.0, worst->time - kLead));
}

}  // namespace ember::app
