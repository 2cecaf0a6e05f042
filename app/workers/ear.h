// How long was listened loud, day by day, and when to rest: kept on this machine and nowhere else.
#pragma once

#include <QDate>
#include <QDateTime>
#include <QMap>
#include <QObject>
#include <QString>

namespace ember::app {

// Window's thread only.
class Ear : public QObject {
    Q_OBJECT
  public:
    static constexpr double kPause = 5.0;          // minutes of silence that are a rest
    static constexpr double kRestAfter = 45.0;     // minutes of playing without one
    static constexpr double kSameAfter = 20.0;     // minutes at one monitor level
    static constexpr double kSameDb = 3.0;         // within this it is one level
    static constexpr double kMostMinutes = 600.0;  // of a limit

    // `remember`: days and limit are kept in this machine's settings; else for this run alone.
    explicit Ear(bool remember, QObject* parent = nullptr);
    ~Ear() override;

    // What plays, told every now and then: loud minutes since the program was started, the
    // monitor's level in dB.
    void follow(const QDateTime& now, bool playing, double loudMinutes, double monitorDb);

    [[nodiscard]] double minutesOn(const QDate& day) const { return days_.value(day, 0.0); }
    // Of seven days, `last` the last of them.
    [[nodiscard]] double minutesInWeek(const QDate& last) const;
    // Loud minutes a day that one allows oneself; 0: none. Throws Error outside 0 to kMostMinutes.
    [[nodiscard]] double limit() const { return limit_; }
    void setLimit(double minutes);
    void forget();

  signals:
    // To rest, to listen at another level, or that the limit is reached; a sentence.
    void reminded(const QString& sentence);

  private:
    void count(const QDate& day, double minutes);
    void keep();

    bool remember_;
    QMap<QDate, double> days_;  // loud minutes
    double limit_ = 0.0;
    double loudBefore_ = 0.0, unkept_ = 0.0;       // minutes
    QDateTime last_, heard_;                       // told last; playing last
    double withoutRest_ = 0.0, atOneLevel_ = 0.0;  // minutes
    double level_ = 0.0;                           // dB, that atOneLevel_ is counted at
};

}  // namespace ember::app
