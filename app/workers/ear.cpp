#include "app/workers/ear.h"

#include "app/widgets/figures.h"
#include "core/base/error.h"

#include <QSettings>
#include <QVariantMap>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr int kDaysKept = 35;
constexpr double kKeptEvery = 0.5;  // loud minutes
constexpr double kGap = 1.0;        // minutes between two tellings that count as heard, at most

}  // namespace

Ear::Ear(bool remember, QObject* parent) : QObject(parent), remember_(remember) {
    if (!remember_) return;
    const QSettings settings;
    limit_ = std::clamp(settings.value("ear/limit").toDouble(), 0.0, kMostMinutes);
    const QVariantMap days = settings.value("ear/days").toMap();
    for (auto day = days.begin(); day != days.end(); ++day) {
        const QDate date = QDate::fromString(day.key(), Qt::ISODate);
        const double minutes = day.value().toDouble();
        if (date.isValid() && std::isfinite(minutes) && minutes > 0.0) days_[date] = minutes;
    }
}

Ear::~Ear() {
    keep();
}

void Ear::follow(const QDateTime& now, bool playing, double loudMinutes, double monitorDb) {
    const double passed =
        last_.isValid() ? std::clamp(static_cast<double>(last_.msecsTo(now)) / 60000.0, 0.0, kGap)
                        : 0.0;
    last_ = now;
    const double loud = loudMinutes - loudBefore_;
    loudBefore_ = loudMinutes;
    if (loud > 0.0) count(now.date(), loud);
    if (!playing) return;
    if (heard_.isValid() && static_cast<double>(heard_.msecsTo(now)) / 60000.0 >= kPause)
        withoutRest_ = atOneLevel_ = 0.0;
    heard_ = now;
    withoutRest_ += passed;
    if (std::abs(monitorDb - level_) >= kSameDb) {
        level_ = monitorDb;
        atOneLevel_ = 0.0;
    }
    atOneLevel_ += passed;
    if (withoutRest_ >= kRestAfter) {
        withoutRest_ = atOneLevel_ = 0.0;
        emit reminded(tr("%1 minutes without a rest: ears tire before one notices. Five minutes of "
                         "silence help.")
                          .arg(kRestAfter));
    } else if (atOneLevel_ >= kSameAfter) {
        atOneLevel_ = 0.0;
        emit reminded(tr("%1 minutes at one listening level: what is right holds at another one "
                         "too. Turn the monitor down for a while.")
                          .arg(kSameAfter));
    }
}

void Ear::count(const QDate& day, double minutes) {
    const double before = minutesOn(day);
    days_[day] = before + minutes;
    if (limit_ > 0.0 && before < limit_ && before + minutes >= limit_)
        emit reminded(tr("%1 loud minutes today: as many as you allow yourself. Go on quietly.")
                          .arg(figure(limit_, 0)));
    unkept_ += minutes;
    if (unkept_ >= kKeptEvery) keep();
}

double Ear::minutesInWeek(const QDate& last) const {
    double sum = 0.0;
    for (int back = 0; back < 7; ++back) sum += minutesOn(last.addDays(-back));
    return sum;
}

void Ear::setLimit(double minutes) {
    if (!(minutes >= 0.0 && minutes <= kMostMinutes))
        throw Error("A limit takes 0 (none) to 600 minutes a day.");
    limit_ = minutes;
    if (remember_) QSettings().setValue("ear/limit", limit_);
}

void Ear::forget() {
    days_.clear();
    unkept_ = 0.0;
    if (remember_) QSettings().remove("ear/days");
}

void Ear::keep() {
    if (!remember_ || unkept_ <= 0.0) return;
    unkept_ = 0.0;
    while (days_.size() > kDaysKept) days_.erase(days_.begin());
    QVariantMap days;
    for (auto day = days_.begin(); day != days_.end(); ++day)
        days[day.key().toString(Qt::ISODate)] = day.value();
    QSettings().setValue("ear/days", days);
}

}  // namespace ember::app
