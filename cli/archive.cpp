// refero-cli unpack: an archived job opened again.
#include "operations/handover/archive.hpp"
#include "verb.hpp"

namespace refero::cli {

Run add_unpack(CLI::App& app) {
    struct Arguments {
        std::string file, folder;
        Outputs outputs;
    };
    const auto a = std::make_shared<Arguments>();
    app.add_option("FILE", a->file, "Archive (*.zip) that 'job ... archive' wrote")->required();
    app.add_option("-o,--output", a->folder, "Folder to open it in; made if missing")->required();
    a->outputs.add(app);
    return [a] {
        const operations::Unpacked u = operations::unpack(a->file, a->folder, a->outputs.existing());
        Result r;
        r.json = {{"job", u.job.string()}, {"files", u.files.size()}};
        r.words = formatted("{}: {} files, checked\n", u.job, u.files.size());
        return r;
    };
}

} // namespace refero::cli
