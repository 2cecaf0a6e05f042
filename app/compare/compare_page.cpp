#include "app/compare/compare_page.h"

#include "app/compare/mix_choice.h"
#include "app/compare/preference_dialog.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "core/base/error.h"

#include <QHBoxLayout>
#include <QRandomGenerator>
#include <QShortcut>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <array>
#include <utility>

namespace ember::app {
namespace {

constexpr double kCompared = 20.0;  // seconds from the playhead, where no loop says otherwise

}  // namespace

ComparePage::ComparePage(Workspace& workspace, Player& player, Listener& listener,
                         ClipKeeper& clips, QWidget* parent)
    : QWidget(parent), workspace_(workspace), player_(player), listener_(listener) {
    setObjectName("compare-page");
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(14, 8, 14, 8);
    across->setSpacing(14);
    snapshots_ = new SnapshotList(workspace, clips, this);
    snapshots_->setFixedWidth(262);
    across->addWidget(snapshots_);
    auto* right = new QVBoxLayout;
    right->setSpacing(6);
    auto* head = new QHBoxLayout;
    head->addWidget(titleLabel(tr("Two mixes, equally loud"), this));
    state_ = new QLabel(this);
    state_->setObjectName("compare-state");
    state_->setProperty("quiet", true);
    state_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    state_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    head->addWidget(state_, 1);
    auto* record = namedButton(tr("A record …"), "compare-record",
                               tr("A finished song beside the mix, heard and in figures "
                                  "(Ctrl+Alt+D)."),
                               this);
    connect(record, &QPushButton::clicked, this, &ComparePage::recordAsked);
    head->addWidget(record);
    right->addLayout(head);
    buildChoices(right);
    buildBlind(right);
    figures_ = new CompareFigures(this);
    right->addWidget(figures_, 1);
    across->addLayout(right, 1);

    connect(snapshots_, &SnapshotList::wanted, this, [this](const std::string& snapshot, int side) {
        choose(static_cast<std::size_t>(side), snapshot);
    });
    connect(&running_, &QFutureWatcherBase::finished, this, &ComparePage::measured);
    connect(&player_, &Player::variantChanged, this, &ComparePage::refreshHearing);
    connect(&workspace_, &Workspace::opened, this, [this] {
        endBlindTest();
        figures_->clear({});
        stale_ = true;
        key_ = Key::none;
        if (isVisible()) arm();
    });
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        const bool sounds = diff.structural || !diff.moves.empty();
        stale_ = stale_ || sounds;
        if (!isVisible()) return;
        const bool two = differ();
        fillChoices();
        // Notes and verdicts change nothing of what is heard.
        if (sounds && blindTest_ && !blindTest_->done()) {
            endBlindTest();
            test_->setText(tr("What is compared was changed; the test was ended."));
        }
        if (sounds || two != differ()) arm();
    });
    const auto again = [this] {
        if (isVisible() && stale_) measure();
    };
    connect(&listener_, &Listener::changed, this, again);
    for (const Key key : kKeys) {
        auto* shortcut = new QShortcut(QKeySequence(Qt::Key_1 + static_cast<int>(key)), this);
        shortcut->setContext(Qt::WidgetWithChildrenShortcut);
        connect(shortcut, &QShortcut::activated, this, [this, key] { hear(key); });
    }
    auto* further = new QShortcut(Qt::Key_5, this);
    further->setContext(Qt::WidgetWithChildrenShortcut);
    connect(further, &QShortcut::activated, this, &ComparePage::onePartFurther);
}

ComparePage::~ComparePage() {
    abandon_ = true;
    running_.waitForFinished();
}

void ComparePage::buildChoices(QVBoxLayout* box) {
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    const auto combo = [&](const QString& label, const char* name, const QString& tip) {
        auto* words = new QLabel(label, this);
        words->setProperty("quiet", true);
        line->addWidget(words);
        auto* made = new QComboBox(this);
        made->setObjectName(name);
        made->setAccessibleName(label);
        made->setToolTip(tip);
        // Names of sets are long, and the window must not be as wide as they are.
        made->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        made->setMinimumWidth(150);
        words->setBuddy(made);
        line->addWidget(made, 1);
        return made;
    };
    sides_[0] = combo(tr("A"), "compare-a", tr("The first mix."));
    sides_[1] = combo(tr("B"), "compare-b", tr("The second mix, turned to be as loud as A."));
    scope_ = combo(tr("Heard"), "compare-scope",
                   tr("The whole, a group, or one row alone. The whole decides."));
    for (QComboBox* chooser : {sides_[0], sides_[1], scope_})
        connect(chooser, &QComboBox::activated, this, [this] { arm(); });
    again_ = new QPushButton(tr("Measure here"), this);
    again_->setObjectName("compare-measure");
    again_->setToolTip(tr("Measures both over the loop, or over %1 seconds from the playhead.")
                           .arg(figure(kCompared, 0)));
    connect(again_, &QPushButton::clicked, this, [this] {
        if (running_.isRunning())
            abandon_ = true;
        else
            measure();
    });
    line->addWidget(again_);
    box->addLayout(line);
}

void ComparePage::buildBlind(QVBoxLayout* box) {
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    const std::array<std::pair<QString, QString>, 4> words{
        {{tr("Hear A"), tr("The first, from the next beat on (1). Once more: what there is now.")},
         {tr("Hear B"), tr("The second, as loud as the first, from the next beat on (2).")},
         {tr("Hear X"), tr("One of the two; you say which (3).")},
         {tr("Only the change"),
          tr("A less B, equally loud: silence where they are alike, what a move adds or takes "
             "where not (4).")}}};
    for (const Key key : kKeys) {
        const auto k = static_cast<std::size_t>(key);
        keys_[k] = new QPushButton(words[k].first, this);
        keys_[k]->setObjectName(QStringLiteral("compare-hear-%1").arg(k));
        keys_[k]->setToolTip(words[k].second);
        keys_[k]->setCheckable(true);
        connect(keys_[k], &QPushButton::clicked, this, [this, key] { hear(key); });
        line->addWidget(keys_[k]);
    }
    grown_ = new QSpinBox(this);
    grown_->setObjectName("compare-grown");
    grown_->setRange(0, 36);
    grown_->setSingleStep(6);
    grown_->setPrefix(tr("grown "));
    grown_->setSuffix(tr(" dB"));
    grown_->setAccessibleName(tr("By how much the change is grown"));
    grown_->setToolTip(tr("Makes a small change plain. The monitor's ceiling holds."));
    connect(grown_, &QSpinBox::valueChanged, this, [this](int db) { player_.growDifference(db); });
    line->addWidget(grown_);
    const auto button = [&](const QString& text, const char* name, const QString& tip,
                            auto&& what) {
        auto* made = namedButton(text, name, tip, this);
        connect(made, &QPushButton::clicked, this, what);
        line->addWidget(made);
        return made;
    };
    further_ = button(tr("One part more"), "compare-further",
                      tr("One part after another in the order of the work: what was B is A, B has "
                         "the next part too, and is heard as loud (5)."),
                      [this] { onePartFurther(); });
    isA_ = button(tr("X is A"), "blind-is-a", tr("The answer of this trial."),
                  [this] { answer(false); });
    isB_ = button(tr("X is B"), "blind-is-b", tr("The answer of this trial."),
                  [this] { answer(true); });
    line->addStretch(1);
    trials_ = new QSpinBox(this);
    trials_->setObjectName("blind-trials");
    trials_->setRange(BlindTest::kFewest, BlindTest::kMost);
    trials_->setValue(10);
    trials_->setAccessibleName(tr("Trials"));
    trials_->setSuffix(tr(" trials"));
    line->addWidget(trials_);
    blind_ = button(tr("Blind test"), "blind-start",
                    tr("X is A or B, drawn anew in every trial; you say which. Enough right "
                       "answers show that the difference is heard."),
                    [this] {
                        if (blindTest_)
                            endBlindTest();
                        else
                            startBlindTest(QRandomGenerator::global()->generate64());
                    });
    prefer_ = button(tr("Which is better?"), "compare-prefer",
                     tr("Two at a time of several mixes, without being told which: what you "
                        "prefer, and how sure that is."),
                     [this] { askPreference(); });
    // They may be narrower than their words before the window has to be wider for them.
    for (QPushButton* narrow : {further_, prefer_}) narrow->setMinimumWidth(56);
    box->addLayout(line);
    test_ = new QLabel(this);
    test_->setObjectName("blind-text");
    test_->setWordWrap(true);
    box->addWidget(test_);
    refreshHearing();
}

void ComparePage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    fillChoices();
    arm();
}

void ComparePage::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    abandon_ = true;
    key_ = Key::none;
    if (blindTest_ && !blindTest_->done()) endBlindTest();
    player_.endVariants();
}

std::string ComparePage::chosen(std::size_t side) const {
    return sides_[side]->currentData().toString().toStdString();
}

QString ComparePage::nameOf(std::size_t side) const {
    return sides_[side]->currentText();
}

void ComparePage::fillChoices() {
    const Session& session = workspace_.session();
    const bool alike = std::exchange(kept_, session.snapshots.size()) == 0;
    const std::vector<MixChoice> mixes = mixChoices(session);
    for (std::size_t side = 0; side < 2; ++side) {
        const QVariant before = sides_[side]->currentData();
        const bool first = sides_[side]->count() == 0;
        sides_[side]->clear();
        for (const MixChoice& mix : mixes) {
            sides_[side]->addItem(mix.name, mix.id);
            sides_[side]->setItemData(sides_[side]->count() - 1, mix.help, Qt::ToolTipRole);
        }
        const int again = first || alike ? -1 : sides_[side]->findData(before);
        // At first, and as long as there was nothing to choose: what was kept last, against what
        // there is now.
        sides_[side]->setCurrentIndex(again >= 0 ? again : side == 0 ? static_cast<int>(kept_) : 0);
    }
    const QVariant before = scope_->currentData();
    scope_->clear();
    scope_->addItem(tr("The whole mix"), QString());
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::reference || row.kind == RowKind::main) continue;
        const QString name = QString::fromStdString(row.name);
        scope_->addItem(
            row.kind == RowKind::bus ? tr("%1, the group").arg(name) : tr("%1, alone").arg(name),
            QString::fromStdString(row.id));
    }
    scope_->setCurrentIndex(std::max(0, scope_->findData(before)));
}

void ComparePage::choose(std::size_t side, const std::string& mix) {
    const int at = sides_[side]->findData(QString::fromStdString(mix));
    if (at < 0) return;
    sides_[side]->setCurrentIndex(at);
    arm();
}

std::optional<Session> ComparePage::mixOf(std::size_t side) const {
    return mixChosen(workspace_, listener_, sides_[side]->currentData().toString());
}

void ComparePage::arm() {
    if (workspace_.empty()) return;
    try {
        player_.setVariants({mixOf(0), mixOf(1)}, scope_->currentData().toString().toStdString());
        refreshHearing();
    } catch (const Error& error) {
        player_.endVariants();
        figures_->clear(QString::fromUtf8(error.what()));
        return;
    }
    measure();
}

void ComparePage::measure() {
    if (workspace_.empty() || !isVisible()) return;
    if (running_.isRunning()) {
        // Begun anew once it has stopped.
        abandon_ = stale_ = true;
        return;
    }
    if (!differ()) {
        stale_ = false;
        return figures_->clear(workspace_.session().snapshots.empty()
                                   ? tr("Take a snapshot, go on working, and come back: then "
                                        "there are two mixes to compare.")
                                   : tr("Both are the same mix; choose another one as A or B."));
    }
    // What waits for the kit is measured once that is known.
    stale_ = listener_.measured() == nullptr;
    if (stale_)
        return figures_->clear(listener_.problem().isEmpty()
                                   ? tr("The kit is still being listened to.")
                                   : listener_.problem());
    const Session& own = workspace_.session();
    double from = own.loop.from, to = own.loop.to;
    if (!own.loop.on) {
        to = std::min(player_.length(), player_.position() + kCompared);
        from = std::max(0.0, to - kCompared);
    }
    abandon_ = false;
    again_->setText(tr("Stop"));
    const auto told = [this](double part, const QString&) {
        if (running_.isRunning())
            figures_->clear(tr("Measuring both: %1 %").arg(figure(100.0 * part, 0)));
    };
    running_.setFuture(
        QtConcurrent::run([first = mixOf(0).value_or(own), second = mixOf(1).value_or(own),
                           store = &workspace_.store(), strokes = listener_.measured(),
                           watch = watchedBy(this, abandon_, told), from, to] {
            return outcomeOf(tr("Stopped; nothing was measured."), [&] {
                return compareMixes(first, second, *store, strokes->strokes.strokes, from, to,
                                    watch);
            });
        }));
}

void ComparePage::measured() {
    again_->setText(tr("Measure here"));
    if (stale_) return measure();
    const auto result = running_.result();
    if (result.problem.isEmpty())
        figures_->show(result.value);
    else
        figures_->clear(result.problem);
}

void ComparePage::hear(Key key) {
    using Side = Player::Side;
    const bool testing = blindTest_ && !blindTest_->done();
    // X is only in a test, and what differs would tell.
    if (key == (testing ? Key::change : Key::x) || !differ()) return refreshHearing();
    key_ = key_ == key ? Key::none : key;
    std::optional<Side> side;
    if (key_ == Key::a) side = Side::first;
    if (key_ == Key::b) side = Side::second;
    if (key_ == Key::x) side = blindTest_->xIsB() ? Side::second : Side::first;
    if (key_ == Key::change) side = Side::difference;
    player_.hearVariant(side);
    refreshHearing();
}

void ComparePage::onePartFurther() {
    if (blindTest_ && !blindTest_->done()) return;
    // The sets that add a part, in their order; the last is the mix as it is.
    std::vector<int> parts;
    for (int i = 0; i < sides_[1]->count(); ++i) {
        if (sides_[1]->itemData(i).toString().startsWith(QLatin1String("set:up-to-")))
            parts.push_back(i);
    }
    if (parts.empty()) return;
    parts.push_back(sides_[1]->findData(QString()));
    const auto now = std::find(parts.begin(), parts.end() - 1, sides_[1]->currentIndex());
    const auto from = now == parts.end() - 1 ? parts.begin() : now;
    sides_[0]->setCurrentIndex(*from);
    sides_[1]->setCurrentIndex(*(from + 1));
    key_ = Key::none;
    arm();
    hear(Key::b);
}

void ComparePage::startBlindTest(std::uint64_t seed) {
    if (!differ()) return;
    blindTest_.emplace(trials_->value(), seed);
    key_ = Key::none;
    player_.hearVariant({});
    refreshHearing();
}

void ComparePage::answer(bool saysB) {
    if (!blindTest_ || blindTest_->done()) return;
    blindTest_->answer(saysB);
    // X is another draw now: what is heard stops telling.
    key_ = Key::none;
    player_.hearVariant({});
    if (blindTest_->done()) {
        workspace_.tell("Blind test of “" + nameOf(0).toStdString() + "” and “" +
                        nameOf(1).toStdString() + "”, " + scope_->currentText().toStdString() +
                        ": " + blindTest_->sentence());
    }
    refreshHearing();
}

void ComparePage::askPreference() {
    endBlindTest();
    auto* dialog = new PreferenceDialog(workspace_, player_, listener_,
                                        scope_->currentData().toString().toStdString(),
                                        scope_->currentText(), this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    // What is chosen here is kept again.
    connect(dialog, &QDialog::finished, this, [this] {
        key_ = Key::none;
        if (isVisible()) arm();
    });
    dialog->open();
}

void ComparePage::endBlindTest() {
    if (!blindTest_) return;
    blindTest_.reset();
    key_ = Key::none;
    player_.hearVariant({});
    test_->clear();
    refreshHearing();
}

void ComparePage::refreshHearing() {
    const bool testing = blindTest_ && !blindTest_->done();
    if (!player_.variant()) key_ = Key::none;
    for (const Key key : kKeys) keys_[static_cast<std::size_t>(key)]->setChecked(key == key_);
    for (QPushButton* key : keys_) key->setEnabled(differ());
    blind_->setEnabled(differ());
    keys_[2]->setVisible(testing);
    keys_[3]->setVisible(!testing);
    grown_->setVisible(!testing);
    isA_->setVisible(testing);
    isB_->setVisible(testing);
    prefer_->setVisible(!testing);
    further_->setVisible(!testing);
    trials_->setVisible(!testing);
    blind_->setText(testing ? tr("End the test") : tr("Blind test"));
    for (QComboBox* chooser : {sides_[0], sides_[1], scope_}) chooser->setEnabled(!testing);
    if (blindTest_) test_->setText(QString::fromStdString(blindTest_->sentence()));
    test_->setVisible(!test_->text().isEmpty());
    if (key_ == Key::none)
        state_->setText(tr("Heard: what there is now"));
    else if (!player_.variantsReady())
        state_->setText(tr("Measuring loudness …"));
    else if (testing)
        state_->setText(tr("Heard: one of the two, equally loud"));
    else if (key_ == Key::a)
        state_->setText(tr("Heard: %1").arg(nameOf(0)));
    else if (key_ == Key::b)
        state_->setText(
            tr("Heard: %1, as loud as A (%2 dB)").arg(nameOf(1), change(*player_.variantDb())));
    else
        state_->setText(tr("Heard: A less B, equally loud"));
    state_->setToolTip(state_->text());
}

}  // namespace ember::app
