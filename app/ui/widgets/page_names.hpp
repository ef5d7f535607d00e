// A line of names above the pages of a place: one is in front, a click brings another there.
#pragma once

#include <QHBoxLayout>
#include <QToolButton>
#include <functional>
#include <vector>

namespace refero::app {

class PageNames : public QWidget {
public:
    struct Name {
        QString text, tooltip;
    };
    PageNames(const std::vector<Name>& names, int below_px, const std::function<void(int)>& chosen) {
        auto* line = new QHBoxLayout(this);
        line->setContentsMargins(8, 6, 8, below_px);
        line->setSpacing(2);
        for (const auto& [text, tooltip] : names) {
            auto* b = new QToolButton;
            b->setText(text);
            b->setToolTip(tooltip);
            b->setProperty("flat", true);
            b->setCheckable(true);
            b->setAutoExclusive(true);
            connect(b, &QToolButton::clicked, this, [chosen, at = static_cast<int>(buttons_.size())] { chosen(at); });
            buttons_.push_back(b);
            line->addWidget(b);
        }
        line->addStretch();
    }
    /// Marks the name of the page in front.
    void mark(int page) { buttons_.at(static_cast<std::size_t>(page))->setChecked(true); }

private:
    std::vector<QToolButton*> buttons_;
};

} // namespace refero::app
