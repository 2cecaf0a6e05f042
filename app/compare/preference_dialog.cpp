#include "app/compare/preference_dialog.h"

#include "app/compare/mix_choice.h"
#include "app/widgets/labels.h"
#include "core/base/error.h"

#include <QDialogButtonBox>
#include <QHBoxLayout>
#include <QRandomGenerator>
#include <QShortcut>
#include <QVBoxLayout>

#include <algorithm>

namespace ember::app {

PreferenceDialog::PreferenceDialog(Workspace& workspace, Player& player, Listener& listener,
                                   std::string scope, const QString& scopeName, QWidget* parent)
    : QDialog(parent),
      workspace_(workspace),
      player_(player),
      listener_(listener),
      scope_(std::move(scope)),
      scopeName_(scopeName) {
    setObjectName("preference");
    setWindowTitle(tr("Which is better?"));
    resize(560, 480);
    auto* box = new QVBoxLayout(this);
    box->addWidget(titleLabel(tr("What do you prefer, not knowing which it is?"), this));
    words_ = quietLabel(this, "preference-words");
    words_->setText(tr("Tick two to %1 mixes. Every two of them meet, in a drawn order, equally "
                       "loud; hear both as often as you like and say which is better. Nothing is "
                       "told before the end. Heard: %2.")
                        .arg(PreferenceTest::kMostMixes)
                        .arg(scopeName_));
    box->addWidget(words_);
    choosing_ = new QWidget(this);
    auto* choosing = new QVBoxLayout(choosing_);
    choosing->setContentsMargins(0, 0, 0, 0);
    mixes_ = new QListWidget(choosing_);
    mixes_->setObjectName("preference-mixes");
    mixes_->setAccessibleName(tr("Mixes"));
    const std::size_t usual = 1 + workspace_.session().snapshots.size();
    for (const MixChoice& mix : mixChoices(workspace_.session())) {
        auto* item = new QListWidgetItem(mix.name, mixes_);
        item->setToolTip(mix.help);
        item->setData(Qt::UserRole, mix.id);
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
        const auto at = static_cast<std::size_t>(mixes_->count());
        // What there is now and what was kept, the first six of them.
        item->setCheckState(at <= usual && at <= PreferenceTest::kMostMixes ? Qt::Checked
                                                                            : Qt::Unchecked);
    }
    connect(mixes_, &QListWidget::itemChanged, this, &PreferenceDialog::chosen);
    choosing->addWidget(mixes_, 1);
    auto* line = new QHBoxLayout;
    rounds_ = new QSpinBox(choosing_);
    rounds_->setObjectName("preference-rounds");
    rounds_->setRange(1, PreferenceTest::kMostRounds);
    rounds_->setPrefix(tr("every two meet "));
    rounds_->setSuffix(tr(" times"));
    rounds_->setAccessibleName(tr("How often every two meet"));
    line->addWidget(rounds_);
    line->addStretch(1);
    start_ = namedButton(tr("Begin"), "preference-start", {}, choosing_);
    connect(start_, &QPushButton::clicked, this,
            [this] { start(QRandomGenerator::global()->generate64()); });
    line->addWidget(start_);
    choosing->addLayout(line);
    box->addWidget(choosing_, 1);
    hearing_ = new QWidget(this);
    auto* hearing = new QVBoxLayout(hearing_);
    hearing->setContentsMargins(0, 0, 0, 0);
    auto* pair = new QHBoxLayout;
    const std::array<QString, 2> pairWords{tr("Hear the first"), tr("Hear the second")};
    for (std::size_t k = 0; k < 2; ++k) {
        keys_[k] = namedButton(
            pairWords[k], k == 0 ? "preference-hear-1" : "preference-hear-2",
            tr("From the next beat on (%1). Once more: what there is now.").arg(k + 1), hearing_);
        keys_[k]->setCheckable(true);
        keys_[k]->setMinimumHeight(44);
        connect(keys_[k], &QPushButton::clicked, this, [this, k] { hear(k); });
        auto* shortcut = new QShortcut(QKeySequence(Qt::Key_1 + static_cast<int>(k)), this);
        connect(shortcut, &QShortcut::activated, this, [this, k] { hear(k); });
        pair->addWidget(keys_[k]);
    }
    hearing->addLayout(pair);
    auto* says = new QHBoxLayout;
    const std::array<QString, 3> answerWords{tr("The first is better"), tr("The second is better"),
                                             tr("Neither")};
    const std::array<const char*, 3> names{"preference-first", "preference-second",
                                           "preference-neither"};
    for (std::size_t k = 0; k < 3; ++k) {
        answers_[k] = namedButton(answerWords[k], names[k], {}, hearing_);
        connect(answers_[k], &QPushButton::clicked, this,
                [this, k] { answer(static_cast<PreferenceTest::Answer>(k)); });
        says->addWidget(answers_[k]);
    }
    hearing->addLayout(says);
    hearing->addStretch(1);
    box->addWidget(hearing_, 1);
    text_ = new QLabel(this);
    text_->setObjectName("preference-text");
    text_->setWordWrap(true);
    text_->setMinimumHeight(40);
    box->addWidget(text_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    // Enter answers nothing by itself.
    for (QPushButton* button : findChildren<QPushButton*>()) button->setAutoDefault(false);
    connect(&player_, &Player::variantChanged, this, &PreferenceDialog::refresh);
    connect(&workspace_, &Workspace::opened, this, &QDialog::reject);
    chosen();
    refresh();
}

// Before it is told that it is over: whoever opened it keeps mixes of its own from then on.
void PreferenceDialog::done(int result) {
    if (test_) player_.endVariants();
    QDialog::done(result);
}

std::vector<int> PreferenceDialog::ticked() const {
    std::vector<int> out;
    for (int i = 0; i < mixes_->count(); ++i) {
        if (mixes_->item(i)->checkState() == Qt::Checked) out.push_back(i);
    }
    return out;
}

void PreferenceDialog::chosen() {
    const auto many = static_cast<int>(ticked().size());
    const bool good = many >= 2 && many <= PreferenceTest::kMostMixes;
    start_->setEnabled(good);
    if (good) rounds_->setValue(PreferenceTest::usualRounds(many));
    text_->setText(good ? QString()
                        : tr("%1 mixes are ticked; it takes two to %2.")
                              .arg(many)
                              .arg(PreferenceTest::kMostMixes));
}

void PreferenceDialog::start(std::uint64_t seed) {
    names_.clear();
    sessions_.clear();
    try {
        for (const int at : ticked()) {
            const QListWidgetItem* item = mixes_->item(at);
            names_.push_back(item->text().toStdString());
            sessions_.push_back(
                mixChosen(workspace_, listener_, item->data(Qt::UserRole).toString()));
        }
        test_.emplace(static_cast<int>(names_.size()), rounds_->value(), seed);
    } catch (const Error& error) {
        text_->setText(QString::fromUtf8(error.what()));
        return;
    }
    nextTrial();
}

void PreferenceDialog::nextTrial() {
    heard_ = {};
    words_->setText(
        tr("Hear both as often as you like, on the beat and equally loud, and say which "
           "is better. Heard: %1.")
            .arg(scopeName_));
    player_.hearVariant({});
    const auto [first, second] = test_->pair();
    player_.setVariants(
        {sessions_[static_cast<std::size_t>(first)], sessions_[static_cast<std::size_t>(second)]},
        scope_);
    refresh();
    keys_[0]->setFocus();
}

void PreferenceDialog::hear(std::size_t key) {
    if (!test_ || test_->done()) return;
    const auto side = key == 0 ? Player::Side::first : Player::Side::second;
    heard_[key] = true;
    if (player_.variant() == side)
        player_.hearVariant({});
    else
        player_.hearVariant(side);
    refresh();
}

void PreferenceDialog::answer(PreferenceTest::Answer answer) {
    if (!test_ || test_->done()) return;
    test_->answer(answer);
    if (test_->done()) return finish();
    nextTrial();
}

void PreferenceDialog::finish() {
    player_.hearVariant({});
    const std::vector<PreferenceTest::Result> results = test_->results();
    QStringList lines;
    for (const int mix : test_->ranking()) {
        const auto& r = results[static_cast<std::size_t>(mix)];
        lines << tr("%1: better %2, worse %3, neither %4")
                     .arg(QString::fromStdString(names_[static_cast<std::size_t>(mix)]))
                     .arg(r.better)
                     .arg(r.worse)
                     .arg(r.neither);
    }
    words_->setText(lines.join('\n'));
    workspace_.tell("Preference, " + scopeName_.toStdString() + ": " + test_->sentence(names_) +
                    " " + lines.join("; ").toStdString());
    refresh();
}

void PreferenceDialog::refresh() {
    const bool under = test_ && !test_->done();
    choosing_->setVisible(!test_);
    hearing_->setVisible(under);
    if (!test_) return;
    const bool ready = player_.variantsReady();
    keys_[0]->setChecked(under && player_.variant() == Player::Side::first);
    keys_[1]->setChecked(under && player_.variant() == Player::Side::second);
    // Whoever heard one of them only knows nothing of the other.
    for (QPushButton* says : answers_) says->setEnabled(under && heard_[0] && heard_[1]);
    QString text = QString::fromStdString(test_->sentence(names_));
    if (under && !ready) text += " " + tr("Measuring loudness …");
    if (under && ready && !(heard_[0] && heard_[1])) text += " " + tr("Hear both first.");
    text_->setText(text);
}

}  // namespace ember::app
