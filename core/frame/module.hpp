// Parts of the program that load many libraries lie in modules of their own, found beside this room's library and
// loaded when they are first needed. They share its libraries: errors thrown there are caught here.
#pragma once

#include <string>

namespace refero::frame {

/// A function of a module, loaded if it was not. Throws Error(internal) where the module is missing.
void* module_symbol(const std::string& module, const char* name);

template<class Function>
Function* from_module(const std::string& module, const char* name) {
    return reinterpret_cast<Function*>(module_symbol(module, name));
}

} // namespace refero::frame
