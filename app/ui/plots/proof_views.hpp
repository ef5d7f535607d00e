// Other looks at a proof: lightness against the reference, casts of the neutrals, hues around a wheel; ramps between
// hues.
#pragma once

#include <QWidget>

#include "plot.hpp"
#include "prove/prove.hpp"

namespace refero::app {

/// Corrected minus reference lightness over the reference's.
class LightnessPlot : public Plot {
    Q_OBJECT

public:
    explicit LightnessPlot(QWidget* parent = nullptr);
    void set(const prove::Proof* proof);

private:
    QCPGraph *colours_, *neutrals_;
};

/// What is left of casts on the neutrals, from dark to light: a* and b* beyond the reference's.
class CastPlot : public Plot {
    Q_OBJECT

public:
    explicit CastPlot(QWidget* parent = nullptr);
    void set(const prove::Proof* proof);

private:
    QCPGraph *red_, *yellow_;
};

/// Each colour at its reference hue: turned by its hue error, longer or shorter by its chroma error, both enlarged.
class HueWheel : public QWidget {
    Q_OBJECT

public:
    explicit HueWheel(QWidget* parent = nullptr);
    void set(const prove::Proof* proof);

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::vector<prove::PatchProof> patches_;
};

/// Ramps between neighbouring hues, one a row, with what is uneven in them.
class RampView : public QWidget {
    Q_OBJECT

public:
    explicit RampView(QWidget* parent = nullptr);
    void set(const std::vector<prove::Ramp>& ramps);

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::vector<prove::Ramp> ramps_;
};

} // namespace refero::app
