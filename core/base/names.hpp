// Names of enumerators: an enumeration declares `inline constexpr auto names(E)`, an array of its enumerators' names in
// their order, beside itself. Files, messages and the command line use these names and no others.
#pragma once

#include <algorithm>
#include <array>
#include <string>
#include <string_view>
#include <type_traits>

namespace refero {

/// The name of an enumerator.
template<class E>
requires std::is_enum_v<E> std::string name_of(E value) { return names(E{})[static_cast<std::size_t>(value)]; }

/// The enumerator of a name. A name that is not known gives what `when_unknown(E)` says where there is one, else the
/// first enumerator.
template<class E>
requires std::is_enum_v<E> E named(std::string_view name) {
    const auto all = names(E{});
    const auto at = std::find(all.begin(), all.end(), name);
    if (at != all.end()) return static_cast<E>(at - all.begin());
    if constexpr (requires { when_unknown(E{}); }) return when_unknown(E{});
    else return E{};
}

} // namespace refero
