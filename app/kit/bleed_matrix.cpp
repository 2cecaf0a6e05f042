#include "app/kit/bleed_matrix.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/table_cell.h"

#include <QHeaderView>
#include <QPainter>
#include <QStyledItemDelegate>

#include <algorithm>

namespace ember::app {
namespace {

constexpr int kLevel = Qt::UserRole, kOwn = Qt::UserRole + 1;
constexpr double kFloorDb = -60.0;

// A bar from the left, as long as the drum is loud there, and the figure over it.
class BleedCell : public QStyledItemDelegate {
  public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option,
               const QModelIndex& index) const override {
        const Palette& p = colours();
        painter->save();
        painter->fillRect(option.rect, p.stave);
        const QVariant level = index.data(kLevel);
        if (level.isValid()) {
            const double share = std::clamp(1.0 - level.toDouble() / kFloorDb, 0.0, 1.0);
            QRectF bar = QRectF(option.rect).adjusted(3, 4, -3, -4);
            bar.setWidth(bar.width() * share);
            const bool own = index.data(kOwn).toBool();
            QColor ground = own ? p.ember : p.wave;
            ground.setAlpha(own ? 200 : 150);
            painter->setPen(Qt::NoPen);
            painter->setBrush(ground);
            // The own drum is told by shape too: its bar has a cap.
            painter->drawRect(bar);
            if (own)
                painter->fillRect(QRectF(bar.right() - 3, bar.top() - 2, 3, bar.height() + 4),
                                  p.chalk);
        }
        paintFigure(*painter, option, index.data(Qt::DisplayRole).toString(),
                    level.isValid() ? p.chalk : p.quiet);
        painter->restore();
    }
};

}  // namespace

BleedMatrix::BleedMatrix(QWidget* parent) : QTableWidget(parent) {
    setObjectName("bleed-matrix");
    setAccessibleName(tr("Every drum in every microphone"));
    setItemDelegate(new BleedCell(this));
    setEditTriggers(QAbstractItemView::NoEditTriggers);
    setSelectionMode(QAbstractItemView::SingleSelection);
    horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    horizontalHeader()->setMinimumSectionSize(64);
    verticalHeader()->setDefaultSectionSize(27);
    verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    connect(this, &QTableWidget::cellActivated, this, [this](int r, int c) {
        const auto row = static_cast<std::size_t>(r), column = static_cast<std::size_t>(c);
        if (row >= table_.mics.size()) return;
        emit chosen(table_.mics[row].row,
                    column < table_.drums.size() ? table_.drums[column] : std::string());
    });
}

void BleedMatrix::show(const Session& session, const BleedTable& table) {
    table_ = table;
    const auto drums = static_cast<int>(table.drums.size()),
               mics = static_cast<int>(table.mics.size());
    setColumnCount(drums + 1);
    setRowCount(mics);
    QStringList across, down;
    for (const std::string& drum : table.drums)
        across << QString::fromStdString(drumName(session, drum));
    across << tr("Apart by");
    for (const BleedTable::Mic& mic : table.mics)
        down << QString::fromStdString(findRow(session, mic.row)->name);
    setHorizontalHeaderLabels(across);
    setVerticalHeaderLabels(down);
    for (int r = 0; r < mics; ++r) {
        const BleedTable::Mic& mic = table.mics[static_cast<std::size_t>(r)];
        for (int c = 0; c < drums; ++c) {
            const auto& cell = mic.cells[static_cast<std::size_t>(c)];
            const bool own = mic.drum == table.drums[static_cast<std::size_t>(c)];
            auto* item = new QTableWidgetItem(cell ? figure(cell->relativeDb, 0) : tr("–"));
            if (cell) item->setData(kLevel, cell->relativeDb);
            item->setData(kOwn, own);
            const QString told =
                cell ? tr("%1 in %2: %3 dB against the loudest there, peaks at %4 dBFS")
                           .arg(across[c], down[r], figure(cell->relativeDb, 0),
                                figure(cell->peakDb, 0))
                     : tr("%1 in %2: no stroke of it was clear enough to say")
                           .arg(across[c], down[r]);
            item->setToolTip(told);
            item->setData(Qt::AccessibleTextRole, told);
            setItem(r, c, item);
        }
        auto* apart = new QTableWidgetItem(
            !mic.marginDb ? tr("–")
            : mic.filteredDb
                ? tr("%1, filtered %2").arg(figure(*mic.marginDb, 0), figure(*mic.filteredDb, 0))
                : figure(*mic.marginDb, 0));
        apart->setToolTip(
            !mic.marginDb ? tr("%1 hears the whole kit.").arg(down[r])
            : mic.filteredDb
                ? tr("The weakest own strokes in %1 lie %2 dB over the loudest neighbours, behind "
                     "a "
                     "key filter from %3 to %4 Hz %5 dB.")
                      .arg(down[r], figure(*mic.marginDb))
                      .arg(figure(mic.highPass, 0))
                      .arg(figure(mic.lowPass, 0))
                      .arg(figure(*mic.filteredDb))
                : tr("The weakest own strokes in %1 lie %2 dB over the loudest neighbours; no key "
                     "filter gains a decibel.")
                      .arg(down[r], figure(*mic.marginDb)));
        apart->setData(Qt::AccessibleTextRole, apart->toolTip());
        setItem(r, drums, apart);
    }
    if (currentRow() < 0 && mics > 0) setCurrentCell(0, 0);
}

}  // namespace ember::app
