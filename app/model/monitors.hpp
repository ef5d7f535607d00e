// Displays: one checked patch by patch, its values brought from elsewhere, its profile.
#pragma once

#include <QTimer>

#include "display/check.hpp"
#include "display/simulated_colorimeter.hpp"
#include "model/document.hpp"
#include "model/tasks.hpp"
#include "operations/display/displays.hpp"

namespace refero::app {

class Monitors : public QObject {
    Q_OBJECT

public:
    Monitors(KitDocument& kit, Notices& notices);

    /// A monitor of the kit by id, or null.
    const shoot::MonitorRecord* at(Id monitor) const;
    /// A new row; gives its id.
    Id add(const QString& name, const QString& screen);
    void change(const shoot::MonitorRecord& monitor);

    /// The instrument: one of display::displays(), which a stand-in measures.
    display::SimulatedColorimeter& instrument() { return instrument_; }
    QString instrument_name() const;
    void use_instrument(int index);
    /// How much faster than the patches' own settling the check goes; for a stand-in, which shows at once.
    void set_pace(double times) { pace_ = times; }

    /// Begins the check of a monitor, or goes on with one that was left.
    void begin(Id monitor);
    void leave(); ///< what was read is kept, to go on with
    void go_on(); ///< after a reading that was not believed
    bool checking() const { return monitor_ != 0 && running_; }
    bool can_go_on(Id monitor) const {
        return monitor_ == monitor && !running_ && !check_.read.empty() && !check_.done();
    }
    void forget() { check_ = {}; }
    const display::Check& check() const { return check_; }
    /// Values that another program or instrument measured.
    void bring(Id monitor, const fs::path& table);
    /// Writes the profile of the newest check; it is used for the monitor's screen from then on.
    void write_profile(Id monitor, const fs::path& file, const display::ProfileOptions& options);

signals:
    void shows(const colour::Vec3& rgb, const QString& words); ///< the patch to show now
    void doubted(const QString& why);                          ///< waits for go_on()
    void ended();                                              ///< done or left

private:
    void show_next();
    void read();

    KitDocument& kit_;
    Notices& notices_;
    display::SimulatedColorimeter instrument_;
    display::Check check_;
    QTimer settling_;
    Id monitor_ = 0;
    bool running_ = false;
    double pace_ = 1;
};

} // namespace refero::app
