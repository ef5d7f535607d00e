#include "store/document.hpp"

#include <algorithm>
#include <set>

#include "store/internal/rows.hpp"

namespace refero::store {

namespace {

template<class Content>
const Schema& schema_for();
template<>
const Schema& schema_for<shoot::Shoot>() {
    return job_schema();
}
template<>
const Schema& schema_for<shoot::Kit>() {
    return kit_schema();
}

} // namespace

template<class Content>
Document<Content>::Document(const std::filesystem::path& file, Open how) : store_(file, schema_for<Content>(), how) {
    load();
}

template<class Content>
void Document<Content>::change(const std::string& what, const std::function<void(Edit&)>& edit, const Kind& kind) {
    const Known known = [this](const std::string& table, Id id) {
        const void* found = nullptr;
        shoot::for_each_list(content_, [&](auto& list) {
            if (table == Rows<typename std::decay_t<decltype(list)>::value_type>::table)
                found = shoot::record(list, id);
        });
        return found;
    };
    const auto touched = store_.change(what, edit, kind, known);
    if (store_.changed_elsewhere()) load(); // what others have done meanwhile
    else follow(touched);
}

template<class Content>
Ids Document<Content>::change(const shoot::Change& rows, bool by_itself, Id cause) {
    Ids ids;
    change(rows.what, [&](Edit& e) { ids = write(e, rows); }, {rows.quiet, by_itself, cause});
    return ids;
}

template<class Content>
bool Document<Content>::refresh() {
    if (!store_.changed_elsewhere()) return false;
    load();
    return true;
}

template<class Content>
void Document<Content>::load() {
    shoot::for_each_list(content_,
                         [&](auto& list) { list = store_.all<typename std::decay_t<decltype(list)>::value_type>(); });
}

template<class Content>
bool Document<Content>::follow(const std::vector<Touched>& touched) {
    shoot::for_each_list(content_, [&](auto& list) {
        using T = typename std::decay_t<decltype(list)>::value_type;
        std::set<Id> ids;
        for (const Touched& t : touched)
            if (t.table == Rows<T>::table) ids.insert(t.id);
        if (ids.size() > 200) { // many rows are read faster in one go
            list = store_.all<T>();
            return;
        }
        for (const Id id : ids) {
            const auto at =
                std::lower_bound(list.begin(), list.end(), id, [](const T& row, Id wanted) { return row.id < wanted; });
            const bool there = at != list.end() && at->id == id;
            if (const auto row = store_.one<T>(id)) {
                if (there) *at = *row;
                else list.insert(at, *row);
            } else if (there) {
                list.erase(at);
            }
        }
    });
    return !touched.empty();
}

template class Document<shoot::Shoot>;
template class Document<shoot::Kit>;

} // namespace refero::store

const refero::shoot::JobSettingsRecord& refero::shoot::Shoot::brief() const {
    static const JobSettingsRecord empty;
    return briefs.empty() ? empty : briefs.front();
}
