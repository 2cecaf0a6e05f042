#include "app/widgets/certainty.h"

#include "app/theme/theme.h"
#include "app/widgets/parameter_field.h"

#include <QObject>
#include <QPainterPath>
#include <QStringList>

#include <algorithm>

namespace ember::app {

Certainty certaintyOf(Role role, const Identity& who) {
    if (role == Role::unknown || who.sure < kSureEnough) return Certainty::unsure;
    return who.sure >= 0.9 ? Certainty::sure : Certainty::likely;
}

QString certaintyLabel(Certainty certainty) {
    switch (certainty) {
        case Certainty::sure:
            return QObject::tr("sure");
        case Certainty::likely:
            return QObject::tr("likely");
        case Certainty::unsure:
            return QObject::tr("not sure");
    }
    return {};
}

void paintCertainty(QPainter& painter, const QRectF& area, Certainty certainty) {
    const Palette& p = colours();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    const QPointF c = area.center();
    const double r = std::min(area.width(), area.height()) / 2.0;
    QPainterPath wedge;
    wedge.moveTo(c.x() - r, c.y() + r * 0.8);
    wedge.lineTo(c.x(), c.y() - r * 0.8);
    wedge.lineTo(c.x() + r, c.y() + r * 0.8);
    wedge.closeSubpath();
    if (certainty == Certainty::sure) {
        painter.fillPath(wedge, p.chalk);
    } else if (certainty == Certainty::likely) {
        painter.strokePath(wedge, QPen(p.chalk, 1.4));
    } else {
        QPen pen(p.alarm, 1.8);
        pen.setDashPattern({1.6, 1.4});
        painter.strokePath(wedge, pen);
        painter.fillRect(QRectF(c.x() - 1.0, c.y() - r * 0.15, 2.0, r * 0.6), p.alarm);
    }
    painter.restore();
}

QString groundsLabel(const Identity& who) {
    QStringList list;
    for (const std::string& ground : who.grounds) {
        list << (ground == "name"     ? QObject::tr("its name")
                 : ground == "sound"  ? QObject::tr("its sound")
                 : ground == "kit"    ? QObject::tr("the kit")
                 : ground == "person" ? QObject::tr("your word")
                                      : QString::fromStdString(ground));
    }
    return list.join(QObject::tr(" and "));
}

QString whoText(const Row& row) {
    if (row.kind != RowKind::element || row.who.grounds.empty()) return {};
    QString text = QObject::tr("%1, %2, by %3. ")
                       .arg(roleName(row.role), certaintyLabel(certaintyOf(row.role, row.who)),
                            groundsLabel(row.who));
    if (isUnsure(row) && !row.who.alternatives.empty()) {
        QStringList others;
        for (const Likely& l : row.who.alternatives) others << roleName(l.role);
        text += QObject::tr("It could also be: %1. ").arg(others.join(", "));
    }
    return text;
}

std::vector<Likely> likeliest(Role role, const Identity& who) {
    std::vector<Likely> all = who.alternatives;
    if (role != Role::unknown) all.push_back({role, who.sure});
    std::stable_sort(all.begin(), all.end(),
                     [](const Likely& a, const Likely& b) { return a.sure > b.sure; });
    return all;
}

const std::vector<Role>& rolesToChoose() {
    static const std::vector<Role> roles{
        Role::unknown,     Role::kickIn,     Role::kickOut, Role::kick,     Role::snareTop,
        Role::snareBottom, Role::snare,      Role::hat,     Role::rackTom,  Role::tom,
        Role::floorTom,    Role::ride,       Role::crash,   Role::overhead, Role::room,
        Role::kit,         Role::percussion, Role::sample,  Role::loop,     Role::trigger,
        Role::bass,        Role::reference};
    return roles;
}

QString roleName(Role role) {
    return role == Role::unknown ? QObject::tr("Not known") : spoken(std::string(roleLabel(role)));
}

}  // namespace ember::app
