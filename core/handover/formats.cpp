// The table of handover formats: adding one is its source in formats/ and a row here.
#include <algorithm>

#include "handover/handover.hpp"

namespace refero::handover {

#define REFERO_FORMATS(row)                                                                                            \
    row(ccc) row(cdl) row(clf) row(correction) row(csv) row(cube) row(curve) row(curve_out) row(dcp) row(icc)          \
        row(look) row(matrix) row(ocio) row(recipe)

#define REFERO_DECLARED(name) Format name##_format();
REFERO_FORMATS(REFERO_DECLARED)
#undef REFERO_DECLARED

const std::vector<Format>& formats() {
    static const std::vector<Format> all = [] {
#define REFERO_ROW(name) name##_format(),
        std::vector<Format> rows{REFERO_FORMATS(REFERO_ROW)};
#undef REFERO_ROW
        std::sort(rows.begin(), rows.end(), [](const Format& a, const Format& b) { return a.order < b.order; });
        return rows;
    }();
    return all;
}

#undef REFERO_FORMATS

} // namespace refero::handover
