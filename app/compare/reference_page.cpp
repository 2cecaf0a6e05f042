#include "app/compare/reference_page.h"

#include "app/board/row_report_dialog.h"
#include "app/compare/draft_dialog.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "app/widgets/offers.h"
#include "app/widgets/quiet_table.h"
#include "core/base/background.h"
#include "core/base/error.h"
#include "core/library/library.h"
#include "core/session/reasons.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>

namespace ember::app {
namespace {

// What a record was read of; its place in the song is none of it.
std::string keyOf(const Session& session, const std::string& id) {
    const Row* row = findRow(session, id);
    std::string key = id + "|" + std::to_string(session.sampleRate) + "|" +
                      std::to_string(session.time.metres.front().beats);
    if (row == nullptr) return key;
    for (const Source& s : row->sources)
        key += "|" + s.file + "|" + s.hash + "|" + std::to_string(s.channel);
    return key;
}

}  // namespace

ReferencePage::ReferencePage(Workspace& workspace, Listener& listener, Player& player,
                             QWidget* parent)
    : QWidget(parent), workspace_(workspace), listener_(listener), player_(player) {
    setObjectName("reference-page");
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(14, 8, 14, 8);
    across->setSpacing(14);
    auto* left = new QVBoxLayout;
    left->setSpacing(6);
    auto* head = new QHBoxLayout;
    head->setSpacing(6);
    head->addWidget(titleLabel(tr("A record beside the mix"), this));
    row_ = new QComboBox(this);
    row_->setObjectName("reference-row");
    row_->setAccessibleName(tr("Which record"));
    row_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    row_->setMinimumWidth(150);
    head->addWidget(row_);
    hear_ = namedButton(tr("Hear it"), "reference-hear",
                        tr("In place of the mix and as loud, from the next beat on; again: the "
                           "mix (S on its row)."),
                        this);
    hear_->setCheckable(true);
    head->addWidget(hear_);
    state_ = quietLabel(this, "reference-state");
    state_->setWordWrap(false);
    state_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    head->addWidget(state_, 1);
    stop_ = namedButton(tr("Stop"), "reference-stop", tr("Stops reading the record."), this);
    head->addWidget(stop_);
    auto* mixes = namedButton(tr("Two mixes"), "reference-mixes",
                              tr("Back to two mixes beside each other (Ctrl+D)."), this);
    connect(mixes, &QPushButton::clicked, this, &ReferencePage::mixesAsked);
    head->addWidget(mixes);
    left->addLayout(head);
    plot_ = new Plot(this);
    plot_->setObjectName("reference-spectra");
    plot_->setAccessibleName(tr("Third octaves of record and mix"));
    plot_->setToolTip(
        tr("Thirds of an octave. Slate: the record; shaded: between what four of "
           "five of its pieces have; ember: the mix, drawn as loud."));
    plot_->setupFrequencyAxis(kLowestDb, kHighestDb);
    plot_->setMinimumHeight(180);
    left->addWidget(plot_, 3);
    figures_ = quietTable({tr("In figures"), tr("The mix"), tr("The record"), tr("Apart")}, this);
    figures_->setObjectName("reference-figures");
    figures_->setAccessibleName(tr("Mix and record in figures"));
    left->addWidget(figures_, 3);
    across->addLayout(left, 1);
    across->addWidget(makePanel());

    connect(row_, &QComboBox::activated, this, [this] { measure(); });
    connect(hear_, &QPushButton::clicked, this,
            [this](bool on) { player_.hearReference(on ? chosen() : std::string()); });
    connect(stop_, &QPushButton::clicked, this, [this] { stopped_ = abandon_ = true; });
    connect(&running_, &QFutureWatcherBase::finished, this, &ReferencePage::finish);
    connect(&looking_, &QFutureWatcherBase::finished, this, [this] {
        const auto outcome = looking_.result();
        moving_->setText(outcome.problem.isEmpty()
                             ? QString::fromStdString(modulationText(
                                   band_[0]->value(), band_[1]->value(), outcome.value))
                             : outcome.problem);
        askMoving_->setEnabled(known_.has_value());
    });
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        if (!diff.rows.empty() || diff.structural) measure();
    });
    connect(&workspace_, &Workspace::opened, this, [this] {
        known_.reset();
        read_.clear();
        moving_->clear();
        measure();
    });
    connect(&listener_, &Listener::changed, this, [this] {
        if (listener_.measured() != of_) measure();
    });
    connect(&player_, &Player::referenceChanged, this, &ReferencePage::refreshHearing);
    draw();
}

ReferencePage::~ReferencePage() {
    abandon_ = true;
    running_.waitForFinished();
    looking_.waitForFinished();
}

QWidget* ReferencePage::makePanel() {
    const auto [scroll, side] = sidePanel(330, this);
    QWidget* panel = scroll->widget();
    words_ = new QLabel(panel);
    words_->setObjectName("reference-words");
    words_->setWordWrap(true);
    side->addWidget(words_);
    add_ =
        namedButton(tr("Add a record …"), "reference-add",
                    tr("A finished song, to listen to beside the mix; it is never in it."), panel);
    connect(add_, &QPushButton::clicked, this, &ReferencePage::addAsked);
    side->addWidget(add_, 0, Qt::AlignLeft);
    side->addWidget(titleLabel(tr("What may be done"), panel));
    nothing_ = quietLabel(panel, "reference-nothing");
    side->addWidget(nothing_);
    moves_ = new QVBoxLayout;
    moves_->setSpacing(8);
    side->addLayout(moves_);
    side->addWidget(titleLabel(tr("Its drums alone"), panel));
    noBare_ = quietLabel(panel, "reference-no-bare");
    side->addWidget(noBare_);
    bare_ = new QVBoxLayout;
    bare_->setSpacing(6);
    side->addLayout(bare_);
    side->addWidget(titleLabel(tr("Its parts"), panel));
    noParts_ = quietLabel(panel, "reference-no-parts");
    side->addWidget(noParts_);
    parts_ = new QVBoxLayout;
    parts_->setSpacing(6);
    side->addLayout(parts_);
    midi_ =
        namedButton(tr("Strokes as MIDI …"), "reference-midi",
                    tr("Kick, snare and hat as they were heard in it, by its own bars, with a mark "
                       "where a part begins."),
                    panel);
    connect(midi_, &QPushButton::clicked, this, &ReferencePage::writeMidi);
    side->addWidget(midi_, 0, Qt::AlignLeft);
    draft_ = namedButton(tr("Draft from it …"), "reference-draft",
                         tr("What is struck in it, played by sounds of one’s own that are like its "
                            "drums, as loud against each other: to go through, and one edit."),
                         panel);
    connect(draft_, &QPushButton::clicked, this, &ReferencePage::askDraft);
    side->addWidget(draft_, 0, Qt::AlignLeft);
    auto* likes = new QHBoxLayout;
    likes->setSpacing(6);
    likes->addWidget(new QLabel(tr("Sounds like its"), panel));
    for (const auto& [drum, name] : {std::pair{"kick", tr("kick")}, std::pair{"snare", tr("snare")},
                                     std::pair{"hihat", tr("hat")}}) {
        auto* like = namedButton(name, "",
                                 tr("Cuts its cleanest one out and looks through the "
                                    "library for sounds like it."),
                                 panel);
        like->setObjectName(QStringLiteral("reference-like-%1").arg(drum));
        like->setAccessibleName(tr("Sounds like its %1").arg(name));
        connect(like, &QPushButton::clicked, this,
                [this, id = std::string(drum)] { findLike(id); });
        likes->addWidget(like);
        likes_.push_back(like);
    }
    likes->addStretch(1);
    side->addLayout(likes);
    side->addWidget(titleLabel(tr("Does something move in it?"), panel));
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    const std::array<QString, 2> names{tr("From, Hz"), tr("To, Hz")};
    for (std::size_t i = 0; i < band_.size(); ++i) {
        band_[i] = new QSpinBox(panel);
        band_[i]->setObjectName(i == 0 ? "reference-low" : "reference-high");
        band_[i]->setAccessibleName(names[i]);
        band_[i]->setToolTip(tr("The band in which a tremolo, a phaser or a pump is suspected."));
        band_[i]->setRange(20, 20000);
        band_[i]->setValue(i == 0 ? 300 : 1500);
        band_[i]->setSuffix(tr(" Hz"));
        line->addWidget(band_[i]);
    }
    askMoving_ =
        namedButton(tr("Look"), "reference-moving",
                    tr("Whether the level between the two goes up and down by itself."), panel);
    connect(askMoving_, &QPushButton::clicked, this, &ReferencePage::askMoving);
    line->addWidget(askMoving_);
    line->addStretch(1);
    side->addLayout(line);
    moving_ = new QLabel(panel);
    moving_->setObjectName("reference-moves-text");
    moving_->setWordWrap(true);
    side->addWidget(moving_);
    side->addStretch(1);
    return scroll;
}

void ReferencePage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (stale_) measure();
}

void ReferencePage::focusFirst() {
    (add_->isVisible() ? add_ : hear_)->setFocus();
}

std::string ReferencePage::chosen() const {
    return row_->currentData().toString().toStdString();
}

void ReferencePage::fillChoices() {
    const QVariant before = row_->currentData();
    row_->clear();
    for (const Row& row : workspace_.session().rows) {
        if (row.kind == RowKind::reference)
            row_->addItem(QString::fromStdString(row.name), QString::fromStdString(row.id));
    }
    row_->setCurrentIndex(std::max(0, row_->findData(before)));
    if (row_->count() == 0) row_->setCurrentIndex(-1);
    row_->setVisible(row_->count() > 0);
    add_->setVisible(row_->count() == 0);
    refreshHearing();
}

void ReferencePage::refreshHearing() {
    hear_->setEnabled(row_->count() > 0);
    hear_->setChecked(!chosen().empty() && player_.reference() == chosen());
}

void ReferencePage::measure() {
    stale_ = true;
    if (!isVisible()) return;
    if (running_.isRunning()) {
        again_ = abandon_ = true;
        return;
    }
    stale_ = again_ = abandon_ = stopped_ = false;
    of_ = listener_.measured();
    fillChoices();
    if (chosen().empty()) {
        known_.reset();
        return draw();
    }
    Session session = listener_.withStrokesHeard(workspace_.session());
    const LoopSpan span = spanHere(session, player_);
    const std::string key = keyOf(session, chosen());
    // What is known of another record is not shown as this one's.
    if (key != read_) known_.reset();
    std::optional<ReferenceReading> before;
    if (known_) before = known_->reading;
    read_ = key;
    const auto tell = [this](double part, const QString&) {
        if (running_.isRunning())
            state_->setText(tr("Reading, %1 %").arg(static_cast<int>(100.0 * part)));
    };
    running_.setFuture(QtConcurrent::run([session = std::move(session), store = &workspace_.store(),
                                          row = chosen(), span, before = std::move(before),
                                          watch = watchedBy(this, abandon_, tell)] {
        stepBack();
        return outcomeOf(tr("Stopped; choose the record again to read it."), [&] {
            const double begins = findRow(session, row)->sources.empty()
                                      ? 0.0
                                      : findRow(session, row)->sources.front().offset;
            Known known;
            known.reading = before ? beginningAt(*before, begins)
                                   : readReference(session, *store, row, within(watch, 0.0, 0.7));
            known.check = checkReference(session, *store, known.reading, span.from, span.to,
                                         within(watch, before ? 0.0 : 0.7, 1.0));
            return known;
        });
    }));
    draw();
}

void ReferencePage::finish() {
    if (again_) return measure();
    if (abandon_ && !stopped_) return;
    auto outcome = running_.result();
    if (outcome.problem.isEmpty())
        known_ = std::move(outcome.value);
    else
        known_.reset();
    state_->setText(outcome.problem.isEmpty() ? tr("Record slate, the mix ember, as loud")
                                              : outcome.problem);
    draw();
}

void ReferencePage::loopHere(double begins, int bars, const std::string& why) {
    const Session& now = workspace_.session();
    const int bar = barAt(now.time, now.loop.on ? now.loop.from : player_.position());
    const double from = std::max(0.0, secondsOfBar(now.time, bar));
    try {
        Session next = withReferenceAt(now, chosen(), begins, from);
        next.loop = {true, from, barsLater(now.time, from, bars)};
        workspace_.edit(std::move(next), {}, {{chosen(), {}, why}});
        player_.seek(from);
    } catch (const Error& error) {
        emit workspace_.refused(QString::fromUtf8(error.what()));
    }
}

void ReferencePage::make(const ReferenceMove& move) {
    const Session& now = workspace_.session();
    try {
        Session next = withReferenceMove(now, move);
        const std::vector<Why> why = whyOfAll(now, next, referenceMoveText(now, move));
        workspace_.edit(std::move(next), {}, why);
    } catch (const Error& error) {
        emit workspace_.refused(QString::fromUtf8(error.what()));
    }
}

void ReferencePage::askMoving() {
    if (looking_.isRunning() || !known_) return;
    const int low = std::min(band_[0]->value(), band_[1]->value()),
              high = std::max(band_[0]->value(), band_[1]->value());
    if (low == high) {
        moving_->setText(tr("A band has two ends: type another frequency."));
        return;
    }
    band_[0]->setValue(low);
    band_[1]->setValue(high);
    askMoving_->setEnabled(false);
    moving_->setText(tr("Looking …"));
    looking_.setFuture(QtConcurrent::run([session = workspace_.session(),
                                          store = &workspace_.store(), reading = known_->reading,
                                          low, high] {
        stepBack();
        return outcomeOf({}, [&] {
            return modulationIn(session, *store, reading, reading.begins, reading.ends, low, high);
        });
    }));
}

void ReferencePage::findLike(const std::string& drum) {
    if (!known_) return;
    try {
        const auto file = cutFromReference(workspace_.session(), workspace_.store(),
                                           known_->reading, drum, cuts_.path().toStdString());
        emit likeAsked(QString::fromStdString(file.string()),
                       row_->currentText() + " " + QString::fromStdString(recordDrum(drum)), drum);
    } catch (const Error& error) {
        emit workspace_.refused(QString::fromUtf8(error.what()));
    }
}

void ReferencePage::askDraft() {
    if (!known_) return;
    auto* dialog = new DraftDialog(workspace_, listener_, player_, known_->reading,
                                   defaultLibraryIndex(), window());
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->show();
}

void ReferencePage::writeMidi() {
    const QString file = QFileDialog::getSaveFileName(this, tr("The record’s strokes"), {},
                                                      tr("MIDI files (*.mid)"));
    if (file.isEmpty() || !known_) return;
    try {
        writeReferenceMidi(workspace_.session(), known_->reading, file.toStdString());
        state_->setText(tr("Written: %1").arg(file));
    } catch (const Error& error) {
        emit workspace_.refused(QString::fromUtf8(error.what()));
    }
}

}  // namespace ember::app
