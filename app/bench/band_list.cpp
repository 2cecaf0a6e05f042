#include "app/bench/band_list.h"

#include "app/bench/plot.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QPainter>
#include <QSignalBlocker>

#include <algorithm>

namespace ember::app {
namespace {

constexpr int kRow = 24, kBand = Qt::UserRole;

QIcon glyphIcon(const EqBand& band, bool heard) {
    constexpr double kScale = 2.0;
    QPixmap image(static_cast<int>(20 * kScale), static_cast<int>(16 * kScale));
    image.setDevicePixelRatio(kScale);
    image.fill(Qt::transparent);
    QPainter painter(&image);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.translate(10, 8);
    painter.setPen(QPen(band.on && heard ? colours().ember : colours().quiet, 2.2, Qt::SolidLine,
                        Qt::RoundCap, Qt::RoundJoin));
    painter.drawPath(bandGlyph(band));
    return QIcon(image);
}

}  // namespace

bool bandHasGain(EqShape shape) {
    return shape != EqShape::highPass && shape != EqShape::lowPass && shape != EqShape::notch;
}

QPainterPath bandGlyph(const EqBand& band) {
    const double up = band.gainDb < 0.0 ? -1.0 : 1.0;  // screen's y grows downwards
    QPainterPath path;
    const auto line = [&](std::initializer_list<QPointF> points) {
        path.moveTo(*points.begin());
        for (const QPointF& p : points) path.lineTo(p);
    };
    switch (band.shape) {
        case EqShape::highPass:
            line({{-8, 6}, {-1, -4}, {8, -4}});
            break;
        case EqShape::lowPass:
            line({{-8, -4}, {1, -4}, {8, 6}});
            break;
        case EqShape::lowShelf:
            line({{-8, -4 * up}, {-2, -4 * up}, {3, 4 * up}, {8, 4 * up}});
            break;
        case EqShape::highShelf:
            line({{-8, 4 * up}, {-3, 4 * up}, {2, -4 * up}, {8, -4 * up}});
            break;
        case EqShape::bell:
            path.moveTo(-8, 4 * up);
            path.cubicTo(-2, 4 * up, -3, -6 * up, 0, -6 * up);
            path.cubicTo(3, -6 * up, 2, 4 * up, 8, 4 * up);
            break;
        case EqShape::notch:
            line({{-8, -4}, {-3, -4}, {0, 6}, {3, -4}, {8, -4}});
            break;
        case EqShape::tilt:
            line({{-8, 5 * up}, {8, -5 * up}});
            break;
        case EqShape::weight:
            path.moveTo(-8, -5 * up);
            path.cubicTo(-2, -5 * up, 0, 5 * up, 3, 5 * up);
            path.cubicTo(5, 5 * up, 5, 1 * up, 8, 1 * up);
            break;
    }
    return path;
}

QString bandFigures(const EqBand& band) {
    const QString place = BandList::tr("%1 Hz").arg(frequencyLabel(band.frequency));
    return bandHasGain(band.shape) ? BandList::tr("%1 dB at %2").arg(change(band.gainDb), place)
                                   : place;
}

BandList::BandList(int mostRows, QWidget* parent) : QTreeWidget(parent), mostRows_(mostRows) {
    setObjectName("eq-bands");
    setAccessibleName(tr("Bands from low to high"));
    setToolTip(
        tr("The bands from low to high: what each does, where, and how much. The box, "
           "or O, switches one; F2 or a double click on its name gives it a name of your own; "
           "Delete takes it away."));
    setColumnCount(3);
    setHeaderLabels({tr("Band"), tr("Hz"), tr("dB")});
    header()->hide();
    header()->setStretchLastSection(false);
    header()->setSectionResizeMode(0, QHeaderView::Stretch);
    header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    header()->setSectionResizeMode(2, QHeaderView::ResizeToContents);
    setRootIsDecorated(false);
    setIndentation(0);
    setUniformRowHeights(true);
    setIconSize({20, 16});
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setEditTriggers(QAbstractItemView::EditKeyPressed);
    connect(this, &QTreeWidget::itemDoubleClicked, this, [this](QTreeWidgetItem* item, int column) {
        if (column == 0) editItem(item, 0);
    });
    connect(this, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
        if (item != nullptr) emit chosen(item->data(0, kBand).toInt());
    });
    connect(this, &QTreeWidget::itemChanged, this, [this](QTreeWidgetItem* item, int column) {
        if (column != 0) return;
        const int band = item->data(0, kBand).toInt();
        const bool on = item->checkState(0) == Qt::Checked;
        if (on != item->data(0, kBand + 1).toBool()) {
            emit switched(band, on);
        } else if (item->text(0) != item->data(0, kBand + 2).toString()) {
            emit renamed(band, item->text(0).trimmed());
        }
    });
}

int BandList::currentBand() const {
    return currentItem() == nullptr ? -1 : currentItem()->data(0, kBand).toInt();
}

void BandList::show(const std::vector<BandLine>& lines, int chosen, bool heard) {
    const QSignalBlocker quiet(this);
    // Rows that stay are written over: an editor that is open in one stays open.
    while (topLevelItemCount() > static_cast<int>(lines.size()))
        delete takeTopLevelItem(topLevelItemCount() - 1);
    while (topLevelItemCount() < static_cast<int>(lines.size())) {
        auto* item = new QTreeWidgetItem(this);
        item->setFlags(item->flags() | Qt::ItemIsUserCheckable | Qt::ItemIsEditable);
        item->setSizeHint(0, {0, kRow});
        for (const int column : {1, 2})
            item->setTextAlignment(column, Qt::AlignRight | Qt::AlignVCenter);
    }
    for (std::size_t i = 0; i < lines.size(); ++i) {
        const BandLine& line = lines[i];
        QTreeWidgetItem* item = topLevelItem(static_cast<int>(i));
        item->setData(0, kBand, line.band);
        item->setData(0, kBand + 1, line.value.on);
        item->setData(0, kBand + 2, line.name);
        item->setIcon(0, glyphIcon(line.value, heard));
        item->setText(0, line.name);
        item->setCheckState(0, line.value.on ? Qt::Checked : Qt::Unchecked);
        item->setText(1, frequencyLabel(line.value.frequency));
        item->setText(2, bandHasGain(line.value.shape) ? change(line.value.gainDb) : QString());
        const QString told = line.name + ", " + bandFigures(line.value);
        item->setToolTip(0, line.why.isEmpty() ? told : told + "\n" + line.why);
        item->setData(0, Qt::AccessibleTextRole, line.value.on ? told : tr("%1, off").arg(told));
        const QColor ink = line.value.on ? colours().chalk : colours().quiet;
        for (const int column : {0, 1, 2}) item->setForeground(column, ink);
        if (line.band == chosen) setCurrentItem(item);
    }
    if (std::none_of(lines.begin(), lines.end(),
                     [&](const BandLine& line) { return line.band == chosen; }))
        setCurrentItem(nullptr);
    setFixedHeight(kRow * std::clamp(topLevelItemCount(), 1, mostRows_) + 2);
}

void BandList::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Delete && currentBand() >= 0) {
        emit removed(currentBand());
        return;
    }
    if (event->key() == Qt::Key_O && currentBand() >= 0) {
        emit switched(currentBand(), currentItem()->checkState(0) != Qt::Checked);
        return;
    }
    QTreeWidget::keyPressEvent(event);
}

}  // namespace ember::app
