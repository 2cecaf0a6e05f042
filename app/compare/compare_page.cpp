#include "app/compare/compare_page.h"

#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "core/base/error.h"

#include <QHBoxLayout>
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
    : QWidget(parent), workspace_(workspace), player_(player), listener_(listener), clips_(clips) {
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
    connect(&player_, &Player::previewChanged, this, &ComparePage::refreshHearing);
    connect(&clips_, &ClipKeeper::changed, this, &ComparePage::refreshHearing);
    connect(&workspace_, &Workspace::opened, this, [this] {
        endBlindTest();
        figures_->clear({});
        stale_ = true;
        key_ = Key::none;
        extra_.reset();
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
    std::vector<MixChoice> mixes = mixChoices(session);
    if (extra_) mixes.push_back(*extra_);
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

}  // namespace ember::app
