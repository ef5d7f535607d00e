#pragma once

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

#include "chart/measured.hpp"
#include "model/model.hpp"

namespace refero::app {

/// The values that a setup's chart is compared with, nominal or of the card in hand; the latter are brought here, from
/// a file or the clipboard, and looked at before they count.
class ValuesPanel : public QWidget {
    Q_OBJECT

public:
    explicit ValuesPanel(Desk& desk, QWidget* parent = nullptr);
    void show_chain(const Chain& chain);
    /// Looks at a table; what it would change is shown.
    void bring(const std::string& table, const fs::path& file);

private:
    void open_file();
    void take();
    void check();
    void show_table(const chart::Reference& now, const std::vector<std::pair<std::string, double>>& changed);

    Desk& desk_;
    Id setup_ = 0;
    std::string table_text_; ///< brought and not used yet
    fs::path table_file_;
    std::shared_ptr<const chart::Reference> now_;
    std::optional<chart::Brought> brought_;
    QLabel *state_, *words_;
    QComboBox *illuminant_, *observer_;
    QPushButton *file_, *paste_, *use_;
    QTableWidget* table_;
};

} // namespace refero::app
