#include "app/logbook/work_dialog.h"

#include "app/board/cell.h"
#include "app/theme/theme.h"
#include "app/widgets/labels.h"
#include "app/widgets/table_cell.h"
#include "core/base/error.h"

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

namespace ember::app {
namespace {

constexpr int kStateOf = Qt::UserRole, kOffered = Qt::UserRole + 1;
constexpr double kMark = 9.0;  // px

// The state by its shape, the minutes at the right.
class WorkCellPainter : public QStyledItemDelegate {
  public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option,
               const QModelIndex& index) const override {
        const QVariant state = index.data(kStateOf);
        if (!state.isValid()) return QStyledItemDelegate::paint(painter, option, index);
        painter->save();
        painter->setRenderHint(QPainter::Antialiasing);
        Cell cell;
        cell.state = static_cast<CellState>(state.toInt());
        cell.offered = index.data(kOffered).toBool();
        paintState(*painter, QPointF(option.rect.left() + 14.0, option.rect.center().y()), kMark,
                   cell);
        painter->restore();
        paintFigure(*painter, option, index.data().toString(), colours().quiet);
    }
};

}  // namespace

WorkDialog::WorkDialog(Workspace& workspace, Tracer& tracer, QWidget* parent)
    : QDialog(parent), workspace_(workspace), tracer_(tracer) {
    setWindowTitle(tr("Work order"));
    setObjectName("work");
    resize(860, 740);
    auto* box = new QVBoxLayout(this);
    box->addWidget(titleLabel(tr("How far the work is, and the minutes it took"), this));
    words_ = quietLabel(this, "work-words");
    box->addWidget(words_);
    table_ = new QTableWidget(this);
    table_->setObjectName("work-table");
    table_->setAccessibleName(windowTitle());
    table_->setToolTip(
        tr("Enter or a double click shows a step on its bench. Minutes are read from the logbook: "
           "what lies between two lines counts for the later one, five minutes of it at most."));
    table_->setTabKeyNavigation(false);
    table_->setShowGrid(false);
    table_->setAlternatingRowColors(true);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setEditTriggers(QAbstractItemView::AnyKeyPressed | QAbstractItemView::EditKeyPressed);
    table_->setItemDelegate(new WorkCellPainter(table_));
    table_->verticalHeader()->setDefaultSectionSize(24);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    connect(table_, &QTableWidget::cellActivated, this, &WorkDialog::activated);
    connect(table_, &QTableWidget::itemChanged, this, &WorkDialog::budgetTyped);
    box->addWidget(table_, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    connect(&workspace_, &Workspace::changed, this, &WorkDialog::fill);
    connect(&workspace_, &Workspace::opened, this, &WorkDialog::fill);
    connect(&tracer_, &Tracer::traced, this, &WorkDialog::fill);
    fill();
    table_->setCurrentCell(0, 0);
    table_->setFocus();
}

void WorkDialog::fill() {
    filling_ = true;
    const Session& session = workspace_.session();
    work_ = workOrder(session, workspace_.document().log());
    words_->setText(QString::fromStdString(inWords(work_, session)) + " " +
                    tr("What a step may take is typed into the last line."));
    const int at = table_->currentRow(), column = table_->currentColumn();
    const auto lines = static_cast<int>(work_.lines.size()),
               steps = static_cast<int>(work_.steps.size());
    table_->clear();
    table_->setRowCount(lines + 2);
    table_->setColumnCount(steps + 1);
    QStringList heads, rows;
    for (const Column step : work_.steps) heads << columnLabel(step);
    heads << tr("Minutes");
    const auto put = [&](int line, int step, const QString& text, const QString& told,
                         bool editable = false) {
        auto* item = new QTableWidgetItem(text);
        item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable |
                       (editable ? Qt::ItemIsEditable : Qt::NoItemFlags));
        item->setData(Qt::AccessibleTextRole, told);
        item->setToolTip(told);
        table_->setItem(line, step, item);
        return item;
    };
    const auto minutes = [](double m) { return QString::fromStdString(minutesText(m)); };
    for (int l = 0; l < lines; ++l) {
        const WorkOrder::Line& line = work_.lines[static_cast<std::size_t>(l)];
        const Row& row = *findRow(session, line.row);
        rows << QString::fromStdString(row.name);
        for (int s = 0; s < steps; ++s) {
            const WorkOrder::Cell& one = line.cells[static_cast<std::size_t>(s)];
            const Column step = work_.steps[static_cast<std::size_t>(s)];
            if (!one.any) {
                put(l, s, {}, tr("no such step"));
                continue;
            }
            const Cell cell = cellOf(session, row, step, tracer_.of(line.row).get());
            QString told = columnLabel(step) + ", " + stateLabel(cell);
            if (!cell.reason.isEmpty()) told += ": " + cell.reason;
            if (one.minutes > 0.0) told += ", " + tr("%1 min").arg(minutes(one.minutes));
            auto* item = put(l, s, one.minutes > 0.0 ? minutes(one.minutes) : QString(), told);
            item->setData(kStateOf, static_cast<int>(cell.state));
            item->setData(kOffered, cell.offered);
        }
        put(l, steps, minutes(line.minutes), tr("%1 min").arg(minutes(line.minutes)));
    }
    rows << tr("Together") << tr("May take");
    for (int s = 0; s < steps; ++s) {
        const double took = work_.stepMinutes[static_cast<std::size_t>(s)],
                     may = work_.budgets[static_cast<std::size_t>(s)];
        put(lines, s, minutes(took),
            may > 0.0 ? tr("%1 min of %2").arg(minutes(took), minutes(may))
                      : tr("%1 min").arg(minutes(took)));
        put(lines + 1, s, may > 0.0 ? minutes(may) : QString(),
            may > 0.0 ? tr("%1 min").arg(minutes(may)) : tr("as long as it takes; type minutes"),
            true);
    }
    put(lines, steps, minutes(work_.total), tr("%1 min").arg(minutes(work_.total)));
    put(lines + 1, steps, {}, {});
    table_->setHorizontalHeaderLabels(heads);
    table_->setVerticalHeaderLabels(rows);
    if (at >= 0) table_->setCurrentCell(std::min(at, lines + 1), std::min(column, steps));
    filling_ = false;
}

void WorkDialog::activated(int line, int column) {
    const auto l = static_cast<std::size_t>(line), s = static_cast<std::size_t>(column);
    if (l == work_.lines.size() + 1 && s < work_.steps.size()) {
        table_->editItem(table_->item(line, column));
        return;
    }
    if (l >= work_.lines.size()) return;
    const WorkOrder::Line& chosenLine = work_.lines[l];
    if (s < work_.steps.size() && chosenLine.cells[s].any)
        emit chosen({chosenLine.row, work_.steps[s]});
    else
        emit chosen({chosenLine.row, std::nullopt});
}

void WorkDialog::budgetTyped(QTableWidgetItem* item) {
    if (filling_) return;
    const auto s = static_cast<std::size_t>(item->column());
    if (static_cast<std::size_t>(item->row()) != work_.lines.size() + 1 || s >= work_.steps.size())
        return;
    static const Parameter minutes{"minutes", "A step",      Unit::none, 0.0, 10000.0,
                                   0.0,       Scale::linear, "",         {}};
    workspace_.attempt([&] {
        const std::string text = item->text().trimmed().toStdString();
        return withStepBudget(workspace_.session(), work_.steps[s],
                              text.empty() ? 0.0 : parseValue(minutes, text));
    });
    // The edit is over only after this: what is shown again must not delete it now.
    QMetaObject::invokeMethod(this, &WorkDialog::fill, Qt::QueuedConnection);
}

}  // namespace ember::app
