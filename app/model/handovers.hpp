// Files handed over to other programs, and corrected frames.
#pragma once

#include "model/chains.hpp"
#include "operations/correct/renderings.hpp"
#include "operations/handover/delivery.hpp"
#include "operations/handover/handover.hpp"
#include "operations/match/matching.hpp"

namespace refero::app {

class JobDocument;
class KitDocument;
class Notices;
class Watcher;

class Handovers : public QObject {
    Q_OBJECT

public:
    Handovers(JobDocument& job, KitDocument& kit, Chains& chains, Watcher& watcher, Tasks& tasks, Notices& notices);

    /// Whether these files, which exist, may be replaced. Without an answer nothing is.
    std::function<bool(const std::vector<fs::path>& files)> ask;
    /// For files that the user has named in a dialog which asked already.
    enum class Consent { ask, given };

    /// All outputs are worked out and asked for before the first byte; false: nothing may be written.
    bool may_write(const std::vector<fs::path>& outputs, Consent consent);
    void write_file(Id setup, const std::string& format, const handover::Options& options, const fs::path& file,
                    Consent consent = Consent::ask);
    /// Several renderings of a setup, each to its file.
    void write_renderings(Id setup, const std::vector<std::pair<operations::InForce, fs::path>>& files,
                          const std::string& format, const handover::Options& options, Consent consent = Consent::ask);
    /// Files of many setups, to one destination or more; false: nothing was begun. What fails is told, the rest goes
    /// on.
    bool deliver(const std::vector<operations::Delivery>& deliveries);
    void write_reading(Id setup, const fs::path& file, Consent consent = Consent::ask);
    /// Writes one made elsewhere, with a small fitted correction after it, as a cube.
    void write_trimmed(Id setup, const prove::Named& other, const fs::path& file, Consent consent = Consent::ask);
    /// A match of the setup in place of its own correction.
    void write_match(const operations::KeptMatch& match, const std::string& format, const handover::Options& options,
                     const fs::path& file, Consent consent = Consent::ask);
    /// A delivered picture of the setup's chart shot, after export, hosting or compression, against the correction.
    void verify(Id setup, const fs::path& picture, std::function<void(const match::Delivered&)> show);
    /// Keeps what was handed over, as one step. `by_itself`: by work that goes on beside the window.
    void handed_over(const std::vector<std::pair<Id, operations::HandedOver>>& handed, bool by_itself = false);

private:
    using Written = std::vector<operations::HandedOver>;
    void run(Id setup, const std::vector<fs::path>& files,
             std::function<Written(std::stop_token, const Progress&)> write);

    JobDocument& job_;
    KitDocument& kit_;
    Chains& chains_;
    Watcher& watcher_;
    Tasks& tasks_;
    Notices& notices_;
};

} // namespace refero::app
