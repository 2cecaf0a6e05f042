#include "app/flow/bleed_mixer.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/table_cell.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/session/bleed.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QPainter>
#include <QStyledItemDelegate>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr int kHeard = Qt::UserRole, kTurned = Qt::UserRole + 1, kOwn = Qt::UserRole + 2,
              kOff = Qt::UserRole + 3, kFed = Qt::UserRole + 4, kApart = Qt::UserRole + 5;
constexpr double kMixerFloorDb = -48.0, kMixerTopDb = 6.0, kUsualDown = -24.0, kUsualFeed = -12.0;
constexpr double kMixerDbPerPixel = 0.3;

// Two bars that stand side by side: what was heard, and what is left of it.
class BleedMixerCell : public QStyledItemDelegate {
  public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option,
               const QModelIndex& index) const override {
        const Palette& p = colours();
        painter->save();
        painter->fillRect(option.rect, p.stave);
        const QRectF area = QRectF(option.rect).adjusted(6, 5, -6, -17);
        const auto bar = [&](double left, double db, const QColor& ground) {
            const double share =
                std::clamp((db - kMixerFloorDb) / (kMixerTopDb - kMixerFloorDb), 0.05, 1.0);
            const double width = area.width() * 0.46;
            const QRectF shape(area.left() + left * area.width(),
                               area.bottom() - share * area.height(), width, share * area.height());
            painter->fillRect(shape, ground);
            // The own drum is told by shape too: its bars have a cap.
            if (index.data(kOwn).toBool())
                painter->fillRect(QRectF(shape.left(), shape.top() - 2.0, width, 2.0), p.chalk);
        };
        const QVariant heard = index.data(kHeard);
        const double turned = index.data(kTurned).toDouble();
        const bool off = index.data(kOff).toBool();
        if (heard.isValid()) {
            QColor quiet = p.wave;
            quiet.setAlpha(150);
            bar(0.0, heard.toDouble(), quiet);
            QColor after = turned != 0.0 && !off ? p.ember : p.wave;
            after.setAlpha(turned != 0.0 && !off ? 220 : 150);
            bar(0.54, off ? heard.toDouble() : heard.toDouble() + turned, after);
        }
        if (index.data(kApart).toBool()) {
            paintFigure(*painter, option, index.data(Qt::DisplayRole).toString(), p.chalk);
            painter->restore();
            return;
        }
        if (const QVariant fed = index.data(kFed); fed.isValid()) {
            QColor ground = p.ember;
            ground.setAlpha(220);
            if (fed.toDouble() > kSendLowest) bar(0.27, fed.toDouble(), ground);
            painter->setFont(option.font);
            painter->setPen(fed.toDouble() > kSendLowest ? p.chalk : p.quiet);
            painter->drawText(QRectF(option.rect).adjusted(4, 0, -4, -2),
                              Qt::AlignRight | Qt::AlignBottom,
                              index.data(Qt::DisplayRole).toString());
            outline(*painter, option);
            painter->restore();
            return;
        }
        painter->setFont(option.font);
        const QRectF text = QRectF(option.rect).adjusted(4, 0, -4, -2);
        painter->setPen(p.quiet);
        painter->drawText(text, Qt::AlignLeft | Qt::AlignBottom,
                          heard.isValid() ? figure(heard.toDouble(), 0) : QStringLiteral("–"));
        painter->setPen(turned != 0.0 ? (off ? p.quiet : p.chalk) : p.quiet);
        painter->drawText(text, Qt::AlignRight | Qt::AlignBottom,
                          index.data(Qt::DisplayRole).toString());
        outline(*painter, option);
        painter->restore();
    }

  private:
    static void outline(QPainter& painter, const QStyleOptionViewItem& option) {
        if (!option.state.testFlag(QStyle::State_Selected)) return;
        painter.setPen(QPen(colours().ember, 1.5));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(QRectF(option.rect).adjusted(1, 1, -1, -1));
    }
};

}  // namespace

BleedMixer::BleedMixer(Workspace& workspace, QWidget* parent)
    : LevelTable(kMixerDbPerPixel, parent), workspace_(workspace) {
    setObjectName("bleed-mixer");
    setAccessibleName(tr("What every drum is turned to in every microphone"));
    setItemDelegate(new BleedMixerCell(this));
    horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    horizontalHeader()->setMinimumSectionSize(64);
    verticalHeader()->setDefaultSectionSize(46);
    verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    verticalHeader()->setMaximumWidth(130);
}

std::optional<BleedMixer::Place> BleedMixer::placeAt(int row, int column) const {
    if (row < 0 || column < 0 || column >= std::ssize(drums_)) return {};
    const std::string& drum = drums_[static_cast<std::size_t>(column)];
    if (row >= std::ssize(table_.mics)) {
        const auto bus = static_cast<std::size_t>(row) - table_.mics.size();
        const bool plays =
            std::find(feeds_.drums.begin(), feeds_.drums.end(), drum) != feeds_.drums.end();
        if (bus >= feeds_.buses.size() || !plays) return {};
        return Place{feeds_.buses[bus], drum, {}, false, true};
    }
    // Until the kit is taken apart, what was heard is shown.
    const std::vector<std::string>& known = turned_.empty() ? table_.drums : turned_;
    if (std::find(known.begin(), known.end(), drum) == known.end()) return {};
    const BleedTable::Mic& mic = table_.mics[static_cast<std::size_t>(row)];
    Place place{mic.row, drum, {}, mic.drum == drum, false};
    const auto at = std::find(table_.drums.begin(), table_.drums.end(), drum);
    if (at != table_.drums.end())
        place.heard = mic.cells[static_cast<std::size_t>(at - table_.drums.begin())];
    return place;
}

double BleedMixer::gainOf(const Place& place) const {
    if (place.fed) return feedDb(workspace_.session(), place.drum, place.row);
    const Row* row = findRow(workspace_.session(), place.row);
    return row != nullptr ? drumGain(*row, place.drum) : 0.0;
}

void BleedMixer::show(const BleedTable& table, const std::vector<std::string>& drums,
                      const std::string& model) {
    table_ = table;
    turned_ = drums;
    if (!turned_.empty()) turned_.emplace_back(kNoDrum);
    model_ = model;
    refresh();
}

void BleedMixer::refresh() {
    filling_ = true;
    const Session& session = workspace_.session();
    std::erase_if(table_.mics,
                  [&](const auto& mic) { return findRow(session, mic.row) == nullptr; });
    feeds_ = kitFeeds(session);
    drums_ = turned_.empty() ? table_.drums : turned_;
    if (!feeds_.buses.empty()) {
        for (const std::string& drum : feeds_.drums) {
            if (std::find(drums_.begin(), drums_.end(), drum) == drums_.end())
                drums_.push_back(drum);
        }
    }
    const auto rows = static_cast<int>(table_.mics.size() + feeds_.buses.size()),
               columns = static_cast<int>(drums_.size() + (table_.mics.empty() ? 0 : 1));
    const bool first = rowCount() == 0 || columnCount() == 0;
    setRowCount(rows);
    setColumnCount(columns);
    QStringList across, down;
    for (const std::string& drum : drums_)
        across << (drum == kNoDrum ? tr("Rest") : QString::fromStdString(drumName(session, drum)));
    if (!table_.mics.empty()) across << tr("Apart by");
    for (const BleedTable::Mic& mic : table_.mics) {
        const Row& row = *findRow(session, mic.row);
        const Stage* stage = findBleed(row);
        const bool off = stage != nullptr && !stage->on && !stage->drums.empty();
        down << QString::fromStdString(row.name) + (off ? tr(" (off)") : QString());
    }
    for (const std::string& bus : feeds_.buses)
        down << QString::fromStdString(findRow(session, bus)->name);
    setHorizontalHeaderLabels(across);
    setVerticalHeaderLabels(down);
    for (int r = 0; r < rows; ++r) {
        for (int c = 0; c < columns; ++c) fill(r, c);
    }
    filling_ = false;
    if (first && rows > 0 && columns > 0) setCurrentCell(0, 0);
}

void BleedMixer::fill(int row, int column) {
    QTableWidgetItem* at = item(row, column);
    if (at == nullptr) setItem(row, column, at = new QTableWidgetItem);
    const auto place = placeAt(row, column);
    for (const int role : {kHeard, kTurned, kOwn, kOff, kFed, kApart})
        at->setData(role, QVariant());
    if (row < std::ssize(table_.mics) && column == std::ssize(drums_))
        return fillApart(*at, table_.mics[static_cast<std::size_t>(row)]);
    if (!place) {
        at->setText({});
        at->setToolTip({});
        at->setData(Qt::AccessibleTextRole, tr("nothing to turn here"));
        at->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        return;
    }
    const double db = gainOf(*place), none = place->fed ? kSendLowest : 0.0;
    const Row& mic = *findRow(workspace_.session(), place->row);
    at->setText(db == none                          ? QStringLiteral("·")
                : !place->fed && db <= kBleedLowest ? QString::fromStdString(bleedText(db))
                                                    : change(db, db == std::round(db) ? 0 : 1));
    if (place->fed) {
        at->setData(kFed, db);
    } else {
        const Stage* stage = findBleed(mic);
        at->setData(kHeard, place->heard ? QVariant(place->heard->relativeDb) : QVariant());
        at->setData(kTurned, db);
        at->setData(kOwn, place->own);
        at->setData(kOff, stage != nullptr && !stage->on);
    }
    const QString text = words(*place, horizontalHeaderItem(column)->text(), db);
    at->setToolTip(text);
    at->setData(Qt::AccessibleTextRole, text);
    Qt::ItemFlags flags = Qt::ItemIsEnabled | Qt::ItemIsSelectable;
    if (place->fed || !model_.empty()) flags |= Qt::ItemIsEditable;
    at->setFlags(flags);
}

// How far a microphone's own drum stands out of the others, for a detector.
void BleedMixer::fillApart(QTableWidgetItem& at, const BleedTable::Mic& mic) const {
    const QString name = QString::fromStdString(findRow(workspace_.session(), mic.row)->name);
    at.setText(!mic.marginDb ? tr("–")
               : mic.filteredDb
                   ? tr("%1, key %2").arg(figure(*mic.marginDb, 0), figure(*mic.filteredDb, 0))
                   : figure(*mic.marginDb, 0));
    const QString text =
        !mic.marginDb ? tr("%1 hears the whole kit.").arg(name)
        : mic.filteredDb
            ? tr("The weakest own strokes in %1 lie %2 dB over the loudest neighbours, behind a "
                 "key filter from %3 to %4 Hz %5 dB.")
                  .arg(name, figure(*mic.marginDb))
                  .arg(figure(mic.highPass, 0))
                  .arg(figure(mic.lowPass, 0))
                  .arg(figure(*mic.filteredDb))
            : tr("The weakest own strokes in %1 lie %2 dB over the loudest neighbours; no key "
                 "filter gains a decibel.")
                  .arg(name, figure(*mic.marginDb));
    at.setToolTip(text);
    at.setData(Qt::AccessibleTextRole, text);
    at.setData(kApart, true);
    at.setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
}

QString BleedMixer::words(const Place& place, const QString& drum, double db) const {
    const QString name = QString::fromStdString(findRow(workspace_.session(), place.row)->name);
    if (place.fed) {
        return db > kSendLowest ? tr("%1 feeds %2 at %3 dB").arg(drum, name, change(db))
                                : tr("%1 does not feed %2").arg(drum, name);
    }
    const QString turned = QString::fromStdString(bleedText(db));
    return place.heard ? tr("%1 in %2: heard %3 dB against the loudest drum there, turned to %4")
                             .arg(drum, name, figure(place.heard->relativeDb, 0), turned)
                       : tr("%1 in %2: no stroke was clear enough to say how loud; turned to %3")
                             .arg(drum, name, turned);
}

// --- Edits --------------------------------------------------------------------------

void BleedMixer::turn(const Place& place, double db) {
    if (place.fed) {
        workspace_.attempt(
            [&] {
                return withFeed(workspace_.session(), place.drum, place.row,
                                std::clamp(db, kSendLowest, kSendHighest));
            },
            place.row + "/feed/" + place.drum);
        return;
    }
    if (model_.empty())
        return emit workspace_.refused(tr("The kit is still being taken apart; a moment, please."));
    const double to = std::clamp(db, kBleedLowest, kBleedHighest);
    workspace_.attempt(
        [&] { return withDrumTurned(workspace_.session(), place.row, place.drum, to, model_); },
        place.row + "/bleed/" + place.drum);
}

void BleedMixer::toggle(const Place& place) {
    const double none = place.fed ? kSendLowest : 0.0;
    turn(place, gainOf(place) == none ? (place.fed ? kUsualFeed : kUsualDown) : none);
    workspace_.endGesture();
}

std::optional<double> BleedMixer::levelAt(int row, int column) const {
    const auto place = placeAt(row, column);
    return place ? std::optional(gainOf(*place)) : std::nullopt;
}

void BleedMixer::moveLevel(int row, int column, double db) {
    const auto place = placeAt(row, column);
    if (db != gainOf(*place)) turn(*place, db);
}

void BleedMixer::activate(int row, int column) {
    if (const auto place = placeAt(row, column)) toggle(*place);
}

void BleedMixer::typed(int row, int column, const QString& text) {
    const auto place = placeAt(row, column);
    if (!place) return;
    try {
        const QString said = text.trimmed();
        if (!said.isEmpty() && said != QStringLiteral("·"))
            turn(*place,
                 place->fed ? parseFeed(said.toStdString()) : parseDrumGain(said.toStdString()));
        workspace_.endGesture();
    } catch (const Error& error) {
        emit workspace_.refused(QString::fromUtf8(error.what()));
    }
    refresh();
}

bool BleedMixer::cellKey(QKeyEvent* event) {
    const auto place = current();
    if (!place) return false;
    switch (event->key()) {
        case Qt::Key_Return:
        case Qt::Key_Enter:
            toggle(*place);
            return true;
        case Qt::Key_Delete:
        case Qt::Key_Backspace:
            if (const double none = place->fed ? kSendLowest : 0.0; gainOf(*place) != none)
                turn(*place, none);
            workspace_.endGesture();
            return true;
        case Qt::Key_O: {
            if (place->fed) return false;
            const Stage* stage = findBleed(*findRow(workspace_.session(), place->row));
            if (stage != nullptr) workspace_.setStageOn(place->row, stage->id, !stage->on);
            return true;
        }
        default:
            return false;
    }
}

}  // namespace ember::app
