// A label whose words wrap. Layouts ask for the height of the same words at the same width again and again, and a rich
// text is laid out anew each time: what was found is kept as long as words and typeface stay.
#pragma once

#include <QLabel>
#include <map>

namespace refero::app {

class FlowLabel : public QLabel {
public:
    explicit FlowLabel(const QString& text = {}, QWidget* parent = nullptr) : QLabel(text, parent) {
        setWordWrap(true);
    }
    int heightForWidth(int width) const override {
        follow();
        const auto known = heights_.find(width);
        return known != heights_.end() ? known->second : heights_[width] = QLabel::heightForWidth(width);
    }
    QSize sizeHint() const override {
        follow();
        return hint_.isValid() ? hint_ : hint_ = QLabel::sizeHint();
    }
    QSize minimumSizeHint() const override {
        follow();
        return least_.isValid() ? least_ : least_ = QLabel::minimumSizeHint();
    }

private:
    void follow() const {
        if (text() == text_ && font() == font_) return;
        text_ = text();
        font_ = font();
        heights_.clear();
        hint_ = least_ = {};
    }
    mutable QString text_;
    mutable QFont font_;
    mutable std::map<int, int> heights_;
    mutable QSize hint_, least_;
};

} // namespace refero::app
