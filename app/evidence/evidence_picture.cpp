#include "app/evidence/evidence_picture.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"

#include <QPainter>

#include <algorithm>
#include <array>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kLowestDb = -60.0;
constexpr int kBins = 40, kFoot = 16;

double xOfDb(double db, const QRectF& area) {
    return area.left() + area.width() * std::clamp((db - kLowestDb) / -kLowestDb, 0.0, 1.0);
}

double xOfHertz(double hertz, const QRectF& area) {
    return area.left() +
           area.width() * std::clamp(std::log2(hertz / 25.0) / std::log2(800.0), 0.0, 1.0);
}

void foot(QPainter& painter, const QRectF& area, const QString& left, const QString& middle,
          const QString& right) {
    painter.setPen(colours().quiet);
    const QRectF line(area.left(), area.bottom() + 2, area.width(), kFoot);
    painter.drawText(line, Qt::AlignLeft | Qt::AlignVCenter, left);
    painter.drawText(line, Qt::AlignHCenter | Qt::AlignVCenter, middle);
    painter.drawText(line, Qt::AlignRight | Qt::AlignVCenter, right);
}

}  // namespace

EvidencePicture::EvidencePicture(QWidget* parent) : QWidget(parent) {
    setMinimumHeight(sizeHint().height());
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
}

void EvidencePicture::show(std::shared_ptr<const KitMeasurement> measured, const std::string& drum,
                           const std::string& row, const std::string& step,
                           std::optional<double> threshold) {
    measured_ = std::move(measured);
    drum_ = drum;
    row_ = row;
    step_ = step;
    threshold_ = threshold;
    setVisible(hasPicture());
    update();
}

const Separation* EvidencePicture::separation() const {
    if (!measured_ || step_ != "gate") return nullptr;
    const Separation* out = nullptr;
    for (const Separation& s : measured_->separation) {
        if (s.mic == row_) out = &s;  // the last one has the best key filter
    }
    return out;
}

const DrumTone* EvidencePicture::tone() const {
    if (!measured_ || step_ != "repair") return nullptr;
    for (const DrumTone& t : measured_->tone) {
        if (t.drum == drum_) return &t;
    }
    return nullptr;
}

const PhasePair* EvidencePicture::pair() const {
    if (!measured_ || step_ != "align") return nullptr;
    for (const PhasePair& p : measured_->phase) {
        if (p.drum == drum_ && p.mic == row_ && p.mic != p.reference) return &p;
    }
    return nullptr;
}

bool EvidencePicture::hasPicture() const {
    return separation() != nullptr || tone() != nullptr || pair() != nullptr;
}

void EvidencePicture::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(face(11));
    const QRectF area = QRectF(rect()).adjusted(0, 18, 0, -kFoot - 2);
    if (const Separation* s = separation()) return paintLevels(painter, area, *s);
    if (const DrumTone* t = tone()) return paintSpectrum(painter, area, *t);
    if (const PhasePair* p = pair()) return paintSum(painter, area, *p);
}

// How many strokes reach which level in the gate's detector.
void EvidencePicture::paintLevels(QPainter& painter, const QRectF& area,
                                  const Separation& s) const {
    const Palette& p = colours();
    std::array<std::array<int, kBins>, 3> counts{};
    const auto add = [&](std::size_t kind, double db) {
        const int bin =
            std::clamp(static_cast<int>((db - kLowestDb) / -kLowestDb * kBins), 0, kBins - 1);
        ++counts[kind][static_cast<std::size_t>(bin)];
    };
    for (const double db : s.bleedDb) add(0, db);
    std::vector<double> ghosts = s.ghostDb;
    for (const double db : s.ownDb) {
        const auto ghost = std::find(ghosts.begin(), ghosts.end(), db);
        add(ghost == ghosts.end() ? 2 : 1, db);
        if (ghost != ghosts.end()) ghosts.erase(ghost);
    }
    int most = 1;
    for (const auto& kind : counts)
        most = std::max(most, *std::max_element(kind.begin(), kind.end()));
    const double width = area.width() / kBins;
    const std::array<QColor, 3> fills{p.hoop, p.wave, p.chalk};
    for (std::size_t kind = 0; kind < 3; ++kind) {
        for (int b = 0; b < kBins; ++b) {
            const int n = counts[kind][static_cast<std::size_t>(b)];
            if (n == 0) continue;
            const double height = std::max(2.0, (area.height() - 2.0) * n / most);
            // Side by side within a bin, so that none hides another.
            const QRectF bar(area.left() + b * width + static_cast<double>(kind) * width / 3.0,
                             area.bottom() - height, width / 3.0, height);
            painter.fillRect(bar, fills[kind]);
        }
    }
    painter.setPen(p.hoop);
    painter.drawLine(area.bottomLeft(), area.bottomRight());
    double x = area.left();
    const std::array<QString, 3> names{tr("bleed"), tr("ghosts"), tr("strokes")};
    for (std::size_t kind = 0; kind < 3; ++kind) {
        painter.fillRect(QRectF(x, 5, 8, 8), fills[kind]);
        painter.setPen(p.quiet);
        painter.drawText(QPointF(x + 12, 13), names[kind]);
        x += 20 + painter.fontMetrics().horizontalAdvance(names[kind]);
    }
    if (threshold_) {
        painter.setPen(QPen(p.ember, 1.5));
        const double at = xOfDb(*threshold_, area);
        painter.drawLine(QPointF(at, area.top()), QPointF(at, area.bottom()));
    }
    const bool filtered = s.highPass > 10.5 || s.lowPass < 21900.0;
    foot(painter, area, tr("−60"),
         filtered ? tr("key %1 Hz to %2 Hz").arg(figure(s.highPass, 0)).arg(figure(s.lowPass, 0))
                  : tr("key unfiltered"),
         tr("0 dBFS"));
}

void EvidencePicture::paintSpectrum(QPainter& painter, const QRectF& area,
                                    const DrumTone& tone) const {
    const Palette& p = colours();
    const auto y = [&](double db) {
        return area.bottom() - area.height() * std::clamp((db + 50.0) / 50.0, 0.0, 1.0);
    };
    QPolygonF line;
    for (std::size_t i = 0; i < tone.median.frequency.size(); ++i) {
        const double x = xOfHertz(tone.median.frequency[i], area);
        line << QPointF(x, y(tone.median.level[i]));
        const double half = 0.5 * tone.spread.level[i];
        painter.setPen(QPen(p.hoop, 3));
        painter.drawLine(QPointF(x, y(tone.median.level[i] + half)),
                         QPointF(x, y(tone.median.level[i] - half)));
    }
    painter.setPen(QPen(p.chalk, 1.5));
    painter.drawPolyline(line);
    const auto mark = [&](double hertz, const QColor& colour) {
        const double x = xOfHertz(hertz, area);
        painter.setPen(QPen(colour, 1.5));
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()));
    };
    if (tone.fundamental > 0.0) mark(tone.fundamental, p.slate);
    for (const Ring& ring : tone.rings) mark(ring.hertz, p.ember);
    painter.setPen(p.quiet);
    painter.drawText(QPointF(area.left(), 13),
                     tone.rings.empty()
                         ? tr("note")
                         : (tone.rings.size() == 1 ? tr("note and ring") : tr("note and rings")));
    foot(painter, area, tr("25 Hz"), tr("its strokes alone"), tr("20 kHz"));
}

void EvidencePicture::paintSum(QPainter& painter, const QRectF& area, const PhasePair& pair) const {
    const Palette& p = colours();
    const double width = area.width() / static_cast<double>(pair.bands.size());
    const auto depth = [&](double db) { return area.height() * std::clamp(-db / 18.0, 0.0, 1.0); };
    painter.setPen(p.quiet);
    painter.drawText(QPointF(area.left(), 13), tr("loss in the sum: now, aligned"));
    for (std::size_t i = 0; i < pair.bands.size(); ++i) {
        const BandSum& b = pair.bands[i];
        const double x = area.left() + static_cast<double>(i) * width;
        painter.fillRect(QRectF(x + 3, area.top(), width / 2 - 4, std::max(1.5, depth(b.nowDb))),
                         p.wave);
        painter.fillRect(
            QRectF(x + width / 2, area.top(), width / 2 - 4, std::max(1.5, depth(b.alignedDb))),
            p.chalk);
        painter.setPen(b.hertz == pair.mainHertz ? p.chalk : p.quiet);
        painter.drawText(
            QRectF(x - 4, area.bottom() + 2, width + 8, kFoot), Qt::AlignCenter,
            b.hertz >= 1000.0 ? tr("%1k").arg(b.hertz / 1000.0) : QString::number(b.hertz));
    }
    painter.setPen(p.hoop);
    painter.drawLine(area.topLeft(), area.topRight());
}

}  // namespace ember::app
