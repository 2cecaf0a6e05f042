#include "app/evidence/first_pass_dialog.h"

#include "app/widgets/figures.h"
#include "app/widgets/labels.h"

#include <QButtonGroup>
#include <QDialogButtonBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QRadioButton>
#include <QVBoxLayout>

#include <set>

namespace ember::app {
namespace {

enum { kWhat, kDoes, kWhy, kParts };

// What it will do, in figures.
QString prediction(const Proposal& p) {
    QStringList parts;
    for (const Effect& e : p.effects) {
        if (!e.predicted) continue;
        const QString unit = QString::fromStdString(e.unit);
        parts << (e.before ? QObject::tr("%1: %2 → %3 %4")
                                 .arg(QString::fromStdString(e.what), figure(*e.before),
                                      figure(*e.predicted), unit)
                           : QObject::tr("%1: %2 %3")
                                 .arg(QString::fromStdString(e.what), figure(*e.predicted), unit));
    }
    return parts.join("\n");
}

}  // namespace

FirstPassDialog::FirstPassDialog(Workspace& workspace, Listener& listener, QWidget* parent)
    : QDialog(parent), workspace_(workspace), listener_(listener) {
    setWindowTitle(tr("First pass"));
    setObjectName("first-pass");
    resize(1080, 640);
    auto* box = new QVBoxLayout(this);
    box->addWidget(titleLabel(tr("Everything that is proposed for this kit"), this));
    auto* line = new QHBoxLayout;
    line->addWidget(new QLabel(tr("Together by"), this));
    auto* group = new QButtonGroup(this);
    for (const auto& [text, order] :
         {std::pair{tr("step"), Order::byStep}, std::pair{tr("drum"), Order::byDrum}}) {
        auto* choice = new QRadioButton(text, this);
        choice->setChecked(order == order_);
        group->addButton(choice, static_cast<int>(order));
        line->addWidget(choice);
    }
    connect(group, &QButtonGroup::idClicked, this,
            [this](int id) { arrange(static_cast<Order>(id)); });
    line->addStretch(1);
    box->addLayout(line);
    tree_ = new QTreeWidget(this);
    tree_->setObjectName("first-pass-tree");
    tree_->setAccessibleName(tr("Proposals"));
    tree_->setColumnCount(kParts);
    tree_->setHeaderLabels({tr("Proposal"), tr("It will do"), tr("Because")});
    tree_->header()->setSectionResizeMode(kWhat, QHeaderView::ResizeToContents);
    tree_->header()->setSectionResizeMode(kDoes, QHeaderView::ResizeToContents);
    tree_->setWordWrap(true);
    // Heights follow the width: a bar that comes and goes would change both.
    tree_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOn);
    tree_->setAlternatingRowColors(true);
    tree_->setSelectionMode(QAbstractItemView::SingleSelection);
    // Queued: by then every column has its width.
    connect(tree_->header(), &QHeaderView::sectionResized, this, &FirstPassDialog::layOut,
            Qt::QueuedConnection);
    connect(tree_, &QTreeWidget::itemChanged, this, [this] { count(); });
    box->addWidget(tree_, 1);
    progress_ = new QProgressBar(this);
    progress_->setObjectName("first-pass-progress");
    progress_->setRange(0, 1000);
    progress_->setVisible(listener_.listening());
    box->addWidget(progress_);
    connect(&listener_, &Listener::progressed, this, [this](double done, const QString& what) {
        progress_->setVisible(true);
        progress_->setValue(static_cast<int>(1000.0 * done));
        progress_->setFormat(what);
    });
    sentence_ = new QLabel(this);
    sentence_->setProperty("quiet", true);
    box->addWidget(sentence_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    accept_ = buttons->addButton(tr("Accept what is ticked"), QDialogButtonBox::ActionRole);
    accept_->setObjectName("first-pass-accept");
    accept_->setDefault(true);
    buses_ = buttons->addButton(tr("And the buses"), QDialogButtonBox::ActionRole);
    buses_->setObjectName("first-pass-buses");
    buses_->setToolTip(
        tr("Listens to the mix as it plays now and proposes what its buses need. "
           "Best once the rows are decided."));
    connect(buses_, &QPushButton::clicked, &listener_, &Listener::listenToBuses);
    bleed_ = buttons->addButton(tr("And the bleed"), QDialogButtonBox::ActionRole);
    bleed_->setObjectName("first-pass-bleed");
    bleed_->setToolTip(
        tr("Takes the kit apart and proposes what may be turned down in which microphone, in the "
           "way of working chosen on Flow, Bleed."));
    connect(bleed_, &QPushButton::clicked, &listener_, &Listener::listenToBleed);
    connect(accept_, &QPushButton::clicked, this, &FirstPassDialog::acceptChosen);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    connect(&listener_, &Listener::changed, this, [this] {
        progress_->setVisible(listener_.listening() || listener_.listeningToBuses() ||
                              listener_.listeningToBleed());
        fill();
    });
    fill();
}

void FirstPassDialog::arrange(Order order) {
    order_ = order;
    fill();
}

void FirstPassDialog::fill() {
    // What was unticked stays so while the list is rebuilt.
    std::set<QString> left;
    for (QTreeWidgetItemIterator it(tree_); *it != nullptr; ++it) {
        const QString id = (*it)->data(0, Qt::UserRole).toString();
        if (!id.isEmpty() && (*it)->checkState(0) == Qt::Unchecked) left.insert(id);
    }
    filling_ = true;
    tree_->clear();
    std::map<QString, QTreeWidgetItem*> groups;
    for (const Proposal* p : listener_.open()) {
        const Row* row = findRow(workspace_.session(), p->row);
        if (row == nullptr) continue;
        const QString drum = QString::fromStdString(row->name);
        QString step = QString::fromStdString(p->step);
        step[0] = step[0].toUpper();
        const QString key = order_ == Order::byStep ? step : drum;
        QTreeWidgetItem*& group = groups[key];
        if (group == nullptr) {
            group = new QTreeWidgetItem(tree_, {key});
            group->setFlags(group->flags() | Qt::ItemIsUserCheckable | Qt::ItemIsAutoTristate);
            group->setExpanded(true);
            QFont bold = group->font(0);
            bold.setBold(true);
            group->setFont(0, bold);
        }
        const QString id = QString::fromStdString(p->id), title = QString::fromStdString(p->title);
        auto* item =
            new QTreeWidgetItem(group, {(order_ == Order::byStep ? drum : step) + ": " + title,
                                        prediction(*p), QString::fromStdString(p->reason)});
        item->setData(0, Qt::UserRole, id);
        item->setToolTip(kWhy, QString::fromStdString(p->reason));
        item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
        item->setCheckState(0, left.contains(id) ? Qt::Unchecked : Qt::Checked);
    }
    filling_ = false;
    layOut();
    count();
}

// As high as the reasons need at the width they have.
void FirstPassDialog::layOut() {
    const int wide = tree_->columnWidth(kWhy) - 12;
    if (!isVisible() || filling_) return;
    filling_ = true;  // heights are no ticks
    const QFontMetrics metrics = tree_->fontMetrics();
    for (QTreeWidgetItemIterator it(tree_); *it != nullptr; ++it) {
        if ((*it)->childCount() > 0) continue;
        const QRect needed =
            metrics.boundingRect(QRect(0, 0, wide, 1000), Qt::TextWordWrap, (*it)->text(kWhy));
        (*it)->setSizeHint(kWhy, QSize(wide, needed.height() + 8));
    }
    filling_ = false;
    tree_->doItemsLayout();  // heights that shrink are not noticed by themselves
}

int FirstPassDialog::chosen() const {
    int n = 0;
    for (QTreeWidgetItemIterator it(tree_); *it != nullptr; ++it) {
        if (!(*it)->data(0, Qt::UserRole).toString().isEmpty() &&
            (*it)->checkState(0) == Qt::Checked)
            ++n;
    }
    return n;
}

void FirstPassDialog::count() {
    if (filling_) return;
    const int ticked = chosen();
    accept_->setEnabled(ticked > 0);
    buses_->setEnabled(listener_.measured() != nullptr && !listener_.listeningToBuses());
    bleed_->setEnabled(listener_.measured() != nullptr && !listener_.listeningToBleed());
    if (listener_.listeningToBleed()) {
        sentence_->setText(tr("Every drum is being listened to, for the bleed …"));
    } else if (listener_.listeningToBuses()) {
        sentence_->setText(tr("The mix is being listened to, for its buses …"));
    } else if (listener_.measured() == nullptr) {
        sentence_->setText(tr("The kit is still being listened to; proposals appear here."));
    } else if (tree_->topLevelItemCount() == 0) {
        sentence_->setText(tr("Nothing is left to propose: what this kit needs is decided."));
    } else {
        sentence_->setText(
            ticked == 1
                ? tr("One proposal ticked. It becomes one edit, which undo takes back; what "
                     "it really did is measured afterwards.")
                : tr("%1 proposals ticked. They become one edit; undo takes all of them "
                     "back, and what each really did is measured afterwards.")
                      .arg(ticked));
    }
}

void FirstPassDialog::acceptChosen() {
    std::set<std::string> ids;
    for (QTreeWidgetItemIterator it(tree_); *it != nullptr; ++it) {
        const QString id = (*it)->data(0, Qt::UserRole).toString();
        if (!id.isEmpty() && (*it)->checkState(0) == Qt::Checked) ids.insert(id.toStdString());
    }
    listener_.acceptAll([&](const Proposal& p) { return ids.contains(p.id); });
}

}  // namespace ember::app
