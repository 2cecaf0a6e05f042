// What is heard of the two mixes, blind if wanted.

#include "app/compare/compare_page.h"
#include "app/compare/preference_dialog.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "core/session/snapshot.h"

#include <QHBoxLayout>
#include <QRandomGenerator>
#include <QVBoxLayout>

#include <algorithm>
#include <array>
#include <utility>
#include <vector>

namespace ember::app {

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

void ComparePage::hear(Key key) {
    using Side = Player::Side;
    const bool testing = blindTest_ && !blindTest_->done();
    // X is only in a test, and what differs would tell.
    if (key == (testing ? Key::change : Key::x) || !differ()) return refreshHearing();
    clips_.stop();  // it would be heard in its place
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

void ComparePage::testBlindly(const MixChoice& other) {
    endBlindTest();
    extra_ = other;
    fillChoices();
    sides_[0]->setCurrentIndex(sides_[0]->findData(QString()));
    sides_[1]->setCurrentIndex(sides_[1]->findData(other.id));
    scope_->setCurrentIndex(0);
    arm();
    startBlindTest(QRandomGenerator::global()->generate64());
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
    const Snapshot* clip =
        player_.previewing() ? findSnapshot(workspace_.session(), clips_.heard()) : nullptr;
    if (clip != nullptr)
        state_->setText(tr("Heard: the clip of %1").arg(QString::fromStdString(clip->name)));
    else if (key_ == Key::none)
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
    if (key_ != Key::none && scope_->currentIndex() > 0)
        state_->setText(tr("%1; the whole decides").arg(state_->text()));
    state_->setToolTip(state_->text());
}

}  // namespace ember::app
