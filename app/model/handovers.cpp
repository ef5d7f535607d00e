#include "model/handovers.hpp"

#include "model/document.hpp"
#include "model/watcher.hpp"
#include "operations/correct/keeping.hpp"

#include <set>

namespace refero::app {

Handovers::Handovers(JobDocument& job, KitDocument& kit, Chains& chains, Watcher& watcher, Tasks& tasks,
                     Notices& notices)
    : job_(job),
      kit_(kit),
      chains_(chains),
      watcher_(watcher),
      tasks_(tasks),
      notices_(notices) {}

bool Handovers::may_write(const std::vector<fs::path>& outputs, Consent consent) {
    if (!notices_.guarded([&] { operations::guard_outputs(job_.shoot(), job_.file(), outputs); })) return false;
    const std::vector<fs::path> there = operations::existing(outputs);
    if (there.empty() || consent == Consent::given || (ask && ask(there))) return true;
    notices_.tell(there.size() == 1 ? tr("%1 exists already and stays as it is.").arg(qt(there.front().string()))
                                    : tr("%1 of these files exist already: nothing was written.").arg(there.size()));
    return false;
}

void Handovers::run(Id setup, const std::vector<fs::path>& files,
                    std::function<Written(std::stop_token, const Progress&)> write) {
    for (const fs::path& file : files) watcher_.know(fs::absolute(file).lexically_normal()); // it is no new frame
    tasks_.run({Doing::writing, setup},
               files.size() == 1 ? tr("Writing %1").arg(name_of_file(files.front()))
                                 : tr("Writing %1 files").arg(files.size()),
               [=, this](std::stop_token stop, const Progress& progress) -> Tasks::Then {
                   const Written written = write(stop, progress);
                   return [=, this] {
                       std::vector<std::pair<Id, operations::HandedOver>> handed;
                       for (const operations::HandedOver& h : written) handed.emplace_back(setup, h);
                       handed_over(handed);
                   };
               });
}

void Handovers::handed_over(const std::vector<std::pair<Id, operations::HandedOver>>& handed, bool by_itself) {
    std::vector<std::pair<const Chain*, operations::HandedOver>> of_chains;
    std::set<Id> setups;
    for (const auto& [setup, h] : handed)
        if (chains_.has(setup)) {
            of_chains.emplace_back(&chains_.at(setup), h);
            setups.insert(setup);
        }
    if (of_chains.empty()) return;
    job_.change(of_chains.size() == 1
                    ? operations::keep(job_.shoot(), *of_chains.front().first, of_chains.front().second)
                    : operations::keep_all(job_.shoot(), of_chains),
                by_itself);
    for (const Id setup : setups)
        if (chains_.has(setup))
            kit_.change(operations::keep_for_series(job_.shoot(), kit_.kit(), chains_.at(setup), job_.file()));
}

void Handovers::write_file(Id setup, const std::string& format, const handover::Options& options, const fs::path& file,
                           Consent consent) {
    if (const auto correction = chains_.at(setup).correction)
        write_renderings(setup, {{{0, {}, correction, chains_.at(setup).stretch_id(), chains_.at(setup).title}, file}},
                         format, options, consent);
}

void Handovers::write_renderings(Id setup, const std::vector<std::pair<operations::InForce, fs::path>>& files,
                                 const std::string& format, const handover::Options& options, Consent consent) {
    std::vector<fs::path> outputs, firsts;
    for (const auto& [rendering, file] : files) {
        outputs.push_back(file);
        firsts.push_back(handover::format_named(format).first_of(file));
    }
    if (files.empty() || !may_write(firsts, consent)) return;
    run(setup, outputs, [=](std::stop_token stop, const Progress& progress) {
        Written written;
        for (const auto& [rendering, file] : files) {
            throw_if_stopped(stop);
            written.push_back(operations::write_rendering(rendering, format, options, file));
            progress(static_cast<double>(written.size()) / static_cast<double>(files.size()));
        }
        return written;
    });
}

bool Handovers::deliver(const std::vector<operations::Delivery>& deliveries) {
    std::vector<operations::DeliveryFile> files;
    std::vector<fs::path> targets;
    for (const operations::Delivery& d : deliveries)
        for (const operations::DeliveryFile& f : d.files) {
            files.push_back(f);
            targets.push_back(f.target);
        }
    if (files.empty() || !may_write(targets, Consent::ask)) return false;
    for (const fs::path& target : targets) watcher_.know(fs::absolute(target).lexically_normal());
    tasks_.run(
        {Doing::writing, 0}, tr("Handing over %1 files").arg(files.size()),
        [=, this](std::stop_token stop, const Progress& progress) -> Tasks::Then {
            std::vector<std::pair<Id, operations::HandedOver>> handed;
            std::string problem;
            int failed = 0;
            for (const operations::DeliveryFile& f : files) {
                if (stop.stop_requested()) break; // what is written stays known
                try {
                    std::error_code ec;
                    fs::create_directories(f.target.parent_path(), ec);
                    operations::HandedOver one = f.write();
                    if (!one.correction) one.correction = f.chain.correction_id; // of its own stretch
                    handed.emplace_back(f.chain.id, std::move(one));
                } catch (const Error& e) {
                    if (e.kind() == ErrorKind::cancelled) break;
                    if (!failed++) problem = e.sentences();
                }
                progress(static_cast<double>(handed.size()) / static_cast<double>(files.size()));
            }
            return [=, this] {
                handed_over(handed);
                const fs::path first = targets.front().parent_path(); // each destination has one beside the others
                const QString folder = qt((deliveries.size() > 1 ? first.parent_path() : first).string());
                const bool stopped = handed.size() + static_cast<std::size_t>(failed) < files.size();
                notices_.tell(
                    stopped  ? tr("Stopped: %1 of %2 files are in %3").arg(handed.size()).arg(files.size()).arg(folder)
                    : failed ? tr("%1 of %2 files were not written. %3").arg(failed).arg(files.size()).arg(qt(problem))
                             : tr("%1 files are in %2").arg(handed.size()).arg(folder));
            };
        });
    return true;
}

void Handovers::write_reading(Id setup, const fs::path& file, Consent consent) {
    const auto shot = chains_.at(setup).shot;
    if (!shot || !may_write({file}, consent)) return;
    tasks_.run({Doing::writing, setup}, tr("Writing %1").arg(name_of_file(file)),
               [=, this](std::stop_token, const Progress&) -> Tasks::Then {
                   read::save_cgats(shot->reading, file);
                   return [=, this] { notices_.tell(tr("The reading is in %1").arg(qt(file.string()))); };
               });
}

void Handovers::write_trimmed(Id setup, const prove::Named& other, const fs::path& file, Consent consent) {
    if (!chains_.at(setup).balance || !may_write({file}, consent)) return;
    run(setup, {file}, [=, chain = chains_.at(setup)](std::stop_token, const Progress&) {
        return Written{operations::write_trimmed(chain, other, file)};
    });
}

void Handovers::verify(Id setup, const fs::path& picture, std::function<void(const match::Delivered&)> show) {
    if (!chains_.has(setup)) return;
    tasks_.run({Doing::proving, setup}, tr("Verifying %1").arg(name_of_file(picture)),
               [=, chain = chains_.at(setup)](std::stop_token stop, const Progress&) -> Tasks::Then {
                   const match::Delivered d = operations::verify_delivered(chain, picture, stop);
                   return [=] { show(d); };
               });
}

void Handovers::write_match(const operations::KeptMatch& match, const std::string& format,
                            const handover::Options& options, const fs::path& file, Consent consent) {
    if (!chains_.has(match.other) || !may_write({handover::format_named(format).first_of(file)}, consent)) return;
    run(match.other, {file}, [=](std::stop_token, const Progress&) {
        operations::HandedOver handed = operations::write_file(*match.correction, format, options, file);
        handed.correction = match.row;
        return Written{handed};
    });
}

} // namespace refero::app
