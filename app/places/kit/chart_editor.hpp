// Own charts: a grid or free patches, roles, and reference values from measurements.
#pragma once

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
#include <filesystem>
#include <functional>
#include <set>

#include "chart/measured.hpp"
#include "ui/widgets/patch_map.hpp"

namespace refero::app {

class ChartEditor : public QWidget {
    Q_OBJECT

public:
    explicit ChartEditor(QWidget* parent = nullptr);
    const chart::Definition& definition() const { return now_.definition; }
    const chart::Reference& reference() const { return now_.reference; }
    /// Takes an installed chart as a start.
    void start_from(const std::string& id);
    /// A chart that was taught from a picture: to be corrected, named and saved.
    void take(const chart::Definition& definition, const chart::Reference& reference, const QString& told);
    /// A fresh grid by the fields; what the reference says of the same ids stays.
    void lay_out();
    /// Averages measurements into the reference; what falls out, is missing or unknown is told.
    void import(const std::vector<std::filesystem::path>& files);
    /// Writes the chart into the user's data folder.
    void save();
    void undo();
    QString told() const { return words_->text(); }
    /// Whether another chart of that id may be replaced; by default a question to the user.
    std::function<bool(const QString& question)> asked;

signals:
    void saved(const QString& id);

private:
    struct State {
        chart::Definition definition;
        chart::Reference reference;
    };
    QWidget* make_panel();
    QLayout* make_table();
    void print();
    void change(State next);
    void show_all();
    void cell_edited(int row, int column);
    void tell(const QString& words, bool problem = false);
    bool ask(const QString& question);

    State now_;
    std::vector<State> before_;
    QComboBox *start_, *illuminant_, *observer_;
    QLineEdit *id_, *title_;
    QSpinBox *columns_, *rows_;
    QDoubleSpinBox *patch_w_, *patch_h_, *gap_x_, *gap_y_;
    PatchMap* map_;
    QTableWidget* table_;
    QPushButton *undo_, *save_, *remove_;
    QLabel* words_;
    bool filling_ = false;
    std::set<std::string> own_ids_; ///< of charts that were saved here
};

} // namespace refero::app
