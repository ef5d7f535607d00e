// A job or the kit as an open file with its content in memory: the file is the truth, and the content follows each
// change row by row.
#pragma once

#include "shoot/kit.hpp"
#include "store/store.hpp"

namespace refero::store {

const Schema& job_schema(); ///< files named *.refero
const Schema& kit_schema(); ///< kit.refero-kit in the user's data folder

template<class Content>
class Document {
public:
    using Open = Store::Open;
    Document(const std::filesystem::path& file, Open how);

    const Content& content() const { return content_; }
    const std::filesystem::path& file() const { return store_.file(); }
    Store& store() { return store_; }
    const Store& store() const { return store_; }

    void change(const std::string& what, const std::function<void(Edit&)>& edit, const Kind& kind = {});
    /// `by_itself`, `cause`: see Kind.
    Ids change(const shoot::Change& change, bool by_itself = false, Id cause = 0);
    /// False when there is nothing to undo or redo.
    bool undo() { return follow(store_.undo()); }
    bool redo() { return follow(store_.redo()); }
    std::string undo_title() const { return store_.undo_title(); }
    std::string redo_title() const { return store_.redo_title(); }

    /// Takes in what another program has changed; false when nothing has.
    bool refresh();

private:
    void load();
    bool follow(const std::vector<Touched>& touched);

    Store store_;
    Content content_;
};

/// A new job file has its one brief.
using JobFile = Document<shoot::Shoot>;
using KitFile = Document<shoot::Kit>;

} // namespace refero::store
