// What a display does, drawn: its curve, its greys, its gamut.
#pragma once

#include "display/display.hpp"
#include "ui/plots/plot.hpp"

namespace refero::app {

/// Light over code, beside what the target asks for.
class EotfPlot : public Plot {
    Q_OBJECT

public:
    explicit EotfPlot(QWidget* parent = nullptr);
    void set(const std::vector<display::Patch>& patches, const display::Display* display, const std::string& target);
};

/// a* and b* of the greys against their own white, over code.
class GreyPlot : public Plot {
    Q_OBJECT

public:
    explicit GreyPlot(QWidget* parent = nullptr);
    void set(const std::vector<display::Patch>& patches, const display::Display* display);
};

/// Its triangle in u'v' beside those of the editing spaces.
class GamutPlot : public Plot {
    Q_OBJECT

public:
    explicit GamutPlot(QWidget* parent = nullptr);
    void set(const std::vector<display::Patch>& patches, const display::Display* display);
};

} // namespace refero::app
