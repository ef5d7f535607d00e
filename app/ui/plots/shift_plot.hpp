// Where each patch lies in a* b*, and where its corrected colour lies: arrows, drawn longer so that they are seen.
#pragma once

#include "plot.hpp"
#include "prove/prove.hpp"

namespace refero::app {

class ShiftPlot : public Plot {
    Q_OBJECT

public:
    explicit ShiftPlot(QWidget* parent = nullptr);
    void set(const prove::Proof* proof);

private:
    std::vector<QCPItemLine*> arrows_;
};

} // namespace refero::app
