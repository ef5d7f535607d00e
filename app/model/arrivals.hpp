// The day as it came in, and what a person tells of it: the names of its lights, and which of them are one.
#pragma once

#include "model/chains.hpp"
#include "operations/capture/day.hpp"

namespace refero::app {

class Arrivals : public QObject {
    Q_OBJECT

public:
    Arrivals(JobDocument& job, Chains& chains, Notices& notices);

    const operations::Day& day() const { return day_; }
    /// One change: each light of these ids gets the name beside it, each camera likewise.
    bool rename(const std::map<Id, QString>& lights, const std::map<Id, QString>& cameras = {});
    /// Both are one light, called as the first.
    void merge(Id into, Id from);
    /// These chart shots were lit by that light; 0: by one of their own.
    void move(const std::vector<Id>& chart_shots, Id light);
    /// "Stills A, 10:12".
    QString title_of(const operations::DayChart& chart) const;

signals:
    void changed();

private:
    void follow();

    JobDocument& job_;
    Notices& notices_;
    operations::Day day_;
    QTimer settle_timer_; ///< a card comes in frame by frame
};

/// "14:05" of a job's time; empty where it is not known.
QString clock_of(double at_s);

} // namespace refero::app
