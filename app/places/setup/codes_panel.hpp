#pragma once

#include <QComboBox>
#include <QTableWidget>

#include "model/model.hpp"
#include "operations/correct/codes.hpp"

namespace refero::app {

/// All patches as codes of a display-referred picture, in percent and 8 bits, with the casts of the greys in words.
class CodesPanel : public QWidget {
    Q_OBJECT

public:
    explicit CodesPanel(QWidget* parent = nullptr);
    void set(const Chain& chain);

signals:
    void patch_chosen(const QString& id);

private:
    void fill();

    QComboBox* stage_;
    QTableWidget* table_;
    std::array<std::vector<operations::PatchCodes>, 3> codes_; ///< by operations::Stage
};

} // namespace refero::app
