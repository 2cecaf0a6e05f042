#include "app/compare/ledger_dialog.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "core/base/background.h"
#include "core/base/error.h"
#include "core/dsp/seat.h"

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QPushButton>
#include <QShortcut>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>

namespace ember::app {
LedgerDialog::LedgerDialog(Workspace& workspace, Listener& listener, Player& player,
                           const std::string& row, const std::string& stage, QWidget* parent)
    : QDialog(parent),
      workspace_(workspace),
      listener_(listener),
      player_(player),
      row_(row),
      stage_(stage) {
    const Row* r = findRow(workspace_.session(), row_);
    const QString name = r != nullptr ? QString::fromStdString(r->name) : QString();
    setWindowTitle(stage_.empty() ? tr("Transient ledger, %1").arg(name)
                                  : tr("Order test, %1").arg(name));
    setObjectName("ledger");
    resize(1080, stage_.empty() ? 440 : 300);
    auto* box = new QVBoxLayout(this);
    box->addWidget(titleLabel(windowTitle(), this));
    auto* what = new QLabel(
        stage_.empty()
            ? tr("What every stage on the way to the main does to the strokes. “At the same "
                 "loudness” is the peak if the stage had left the loudness as it was recorded: "
                 "what "
                 "is louder there really has more peak, not more level.")
            : tr("The two steps as they are and the other way round, at the same loudness. X "
                 "changes "
                 "between the two on the next beat."),
        this);
    what->setWordWrap(true);
    what->setProperty("quiet", true);
    box->addWidget(what);
    table_ = new QTableWidget(0, 8, this);
    table_->setTabKeyNavigation(false);
    table_->setHorizontalHeaderLabels({tr("After"), tr("Peak, dBFS"), tr("Loudness, LUFS"),
                                       tr("Peak at the same loudness"), tr("Crest, dB"),
                                       tr("Attack against body, dB"), tr("Harmonics, dB"),
                                       tr("Lost in mono, dB")});
    table_->horizontalHeaderItem(6)->setToolTip(
        tr("At two to five times the drum’s note, against the note: what bending adds."));
    table_->horizontalHeaderItem(7)->setToolTip(tr(
        "What one speaker loses of both sides: 0 where they are equal, 3 where they know nothing "
        "of each other or one is silent."));
    table_->verticalHeader()->hide();
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    table_->setAccessibleName(windowTitle());
    box->addWidget(table_, 1);
    progress_ = new QProgressBar(this);
    progress_->setRange(0, 1000);
    box->addWidget(progress_);
    sentence_ = new QLabel(this);
    sentence_->setWordWrap(true);
    sentence_->setObjectName("ledger-sentence");
    box->addWidget(sentence_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    swap_ = buttons->addButton(tr("Keep the other order"), QDialogButtonBox::ActionRole);
    heard_ = new QLabel(this);
    heard_->setProperty("quiet", true);
    box->addWidget(heard_);
    play_ = buttons->addButton(tr("Play"), QDialogButtonBox::ActionRole);
    play_->setToolTip(tr("Space"));
    hear_ = buttons->addButton(tr("Hear the other order"), QDialogButtonBox::ActionRole);
    hear_->setObjectName("order-hear");
    hear_->setCheckable(true);
    hear_->setToolTip(tr("X"));
    hear_->setEnabled(false);
    // After the last button: a new one shows them all.
    swap_->setVisible(false);
    for (QWidget* w : std::initializer_list<QWidget*>{heard_, play_, hear_})
        w->setVisible(!stage_.empty());
    if (!stage_.empty()) {
        connect(new QShortcut(Qt::Key_X, this), &QShortcut::activated, hear_, &QPushButton::click);
        connect(new QShortcut(Qt::Key_Space, this), &QShortcut::activated, play_,
                &QPushButton::click);
    }
    connect(play_, &QPushButton::clicked, &player_, &Player::toggle);
    connect(&player_, &Player::playingChanged, this, &LedgerDialog::sayHeard);
    connect(&player_, &Player::previewChanged, this, [this](bool heard) {
        hear_->setChecked(heard);
        sayHeard();
    });
    connect(hear_, &QPushButton::clicked, this, &LedgerDialog::hear);
    connect(swap_, &QPushButton::clicked, this, [this] {
        emit swapAsked();
        accept();
    });
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    connect(&running_, &QFutureWatcher<void>::finished, this, &LedgerDialog::finish);
    start();
}

LedgerDialog::~LedgerDialog() {
    if (hear_->isChecked()) player_.preview({});
    abandon_ = true;
    running_.waitForFinished();
}

void LedgerDialog::start() {
    result_ = std::make_shared<Result>();
    const KitStrokes strokes = listener_.measured() ? listener_.measured()->strokes : KitStrokes{};
    running_.setFuture(
        QtConcurrent::run([this, result = result_, strokes, row = row_, stage = stage_,
                           session = workspace_.session(), store = &workspace_.store()] {
            stepBack();
            const Progress progress = [this](double done, const std::string& text) {
                QMetaObject::invokeMethod(this, [this, done, text] {
                    progress_->setValue(static_cast<int>(1000.0 * done));
                    sentence_->setText(QString::fromStdString(text));
                });
                return !abandon_.load();
            };
            try {
                if (stage.empty())
                    result->ledger = transientLedger(session, strokes, *store, row, progress);
                else
                    result->order = testOrder(session, strokes, *store, row, stage, progress);
            } catch (const std::exception& error) {
                result->failure = QString::fromUtf8(error.what());
            }
        }));
}

void LedgerDialog::hear(bool other) {
    if (!other) return player_.preview({});
    try {
        Session swapped = withStageMoved(workspace_.session(), row_, stage_, 1);
        // As loud as it is now: by the fader, behind both.
        Stage& seat = requireRow(swapped, row_).chain.back();
        const Parameter& level = processorType("seat").table[Seat::level];
        seat.values[Seat::level] = std::clamp(seat.values[Seat::level] + result_->order.matchGainDb,
                                              level.minimum, level.maximum);
        player_.preview(std::move(swapped));
    } catch (const Error& error) {
        hear_->setChecked(false);
        heard_->setText(QString::fromUtf8(error.what()));
    }
}

void LedgerDialog::sayHeard() {
    play_->setText(player_.playing() ? tr("Stop") : tr("Play"));
    if (!ready_ || stage_.empty() || !result_->failure.isEmpty()) return;
    const OrderTest& t = result_->order;
    heard_->setText(tr("Now: %1 first%2")
                        .arg(QString::fromStdString(player_.previewing() ? t.second : t.first),
                             player_.previewing() ? tr(", level-matched") : QString()));
}

void LedgerDialog::put(int line, const QString& label, const LedgerLine& value,
                       const LedgerLine* before) {
    table_->insertRow(line);
    const auto against = [&](double now, double was) {
        return before == nullptr ? figure(now) : tr("%1  (%2)").arg(figure(now), change(now - was));
    };
    QStringList cells{
        label,
        figure(value.peakDb),
        figure(value.loudness),
        figure(value.matchedPeakDb),
        against(value.crestDb, before != nullptr ? before->crestDb : 0.0),
        against(value.transientToBodyDb, before != nullptr ? before->transientToBodyDb : 0.0)};
    const auto some = [](const LedgerLine* l) {
        return l != nullptr && l->harmonicsDb.value_or(kNoHarmonicsDb) > kNoHarmonicsDb;
    };
    cells << (some(&value) ? (some(before) ? against(*value.harmonicsDb, *before->harmonicsDb)
                                           : figure(*value.harmonicsDb))
                           : tr("none"))
          << against(value.monoLossDb, before != nullptr ? before->monoLossDb : 0.0);
    for (int c = 0; c < cells.size(); ++c) {
        auto* item = new QTableWidgetItem(cells[c]);
        item->setTextAlignment(c == 0 ? Qt::AlignLeft | Qt::AlignVCenter
                                      : Qt::AlignRight | Qt::AlignVCenter);
        table_->setItem(line, c, item);
    }
}

void LedgerDialog::finish() {
    ready_ = true;
    progress_->hide();
    if (!result_->failure.isEmpty()) {
        sentence_->setText(result_->failure);
        return;
    }
    if (!stage_.empty()) {
        const OrderTest& t = result_->order;
        const QString first = QString::fromStdString(t.first),
                      second = QString::fromStdString(t.second);
        LedgerLine now = t.now, swapped = t.swapped;
        now.matchedPeakDb = now.peakDb;
        swapped.matchedPeakDb = swapped.peakDb;
        put(0, tr("%1 first (now)").arg(first), now, nullptr);
        put(1, tr("%1 first").arg(second), swapped, &now);
        QStringList said;
        for (const std::string& s : t.sentences) said << QString::fromStdString(s);
        said << tr("Matched by %1 dB; what differs lies %2 dB under the sound.")
                    .arg(figure(t.matchGainDb), figure(-t.differenceDb));
        sentence_->setText(said.join(" "));
        swap_->setVisible(true);
        hear_->setEnabled(true);
        table_->hideColumn(6);
        sayHeard();
        return;
    }
    const Ledger& ledger = result_->ledger;
    for (std::size_t i = 0; i < ledger.lines.size(); ++i)
        put(static_cast<int>(i), QString::fromStdString(ledger.lines[i].label), ledger.lines[i],
            i > 0 ? &ledger.lines[i - 1] : nullptr);
    const QString colour = QString::fromStdString(colourText(ledger) + "\n" + monoText(ledger));
    if (ledger.worst < 0) {
        sentence_->setText(tr("No stage takes as much as half a dB of attack against body.") +
                           "\n" + colour);
        return;
    }
    const auto worst = static_cast<std::size_t>(ledger.worst);
    const LedgerLine& line = ledger.lines[worst];
    for (int c = 0; c < table_->columnCount(); ++c) {
        QFont font = table_->font();
        font.setBold(true);
        table_->item(ledger.worst, c)->setFont(font);
    }
    sentence_->setText(
        tr("%1 takes the most punch: attack against body falls by %2 dB there.")
            .arg(QString::fromStdString(line.label),
                 figure(ledger.lines[worst - 1].transientToBodyDb - line.transientToBodyDb)) +
        "\n" + colour);
}

}  // namespace ember::app
