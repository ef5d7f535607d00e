// A form over the members of one record. Fields say what they edit; what was changed comes back as a whole record.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QSignalBlocker>
#include <functional>

namespace refero::app {

template<class T>
class RecordForm {
public:
    /// `changed` gets the record and the label of the field that was edited, once editing it is finished.
    RecordForm(QWidget* parent, std::function<void(const T&, const QString&)> changed)
        : widget_(new QWidget(parent)),
          layout_(new QFormLayout(widget_)),
          changed_(std::move(changed)) {
        layout_->setContentsMargins(0, 0, 0, 0);
        layout_->setVerticalSpacing(6);
        layout_->setHorizontalSpacing(12);
        layout_->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
        layout_->setLabelAlignment(Qt::AlignLeft);
    }
    QWidget* widget() { return widget_; }
    /// For forms that stand below each other: call before the first field.
    static constexpr int label_width = 112;
    void line_up() { least_label_ = label_width; }
    const T& value() const { return value_; }

    QLineEdit* text(const QString& label, std::string T::*member, const QString& tooltip = {}) {
        auto* edit = new QLineEdit;
        add(label, edit, tooltip);
        QObject::connect(edit, &QLineEdit::editingFinished, widget_, [this, edit, member, label] {
            if (value_.*member != edit->text().toStdString()) {
                value_.*member = edit->text().toStdString();
                changed_(T(value_), label);
            }
        });
        show_.push_back([edit, member](const T& v) {
            if (edit->text().toStdString() != v.*member) edit->setText(QString::fromStdString(v.*member));
        });
        return edit;
    }
    /// A day, "YYYY-MM-DD" or empty.
    QLineEdit* day(const QString& label, std::string T::*member, const QString& tooltip = {}) {
        auto* edit = text(label, member, tooltip);
        edit->setPlaceholderText(QObject::tr("year-month-day"));
        return edit;
    }
    template<class N>
    QDoubleSpinBox* number(const QString& label, N T::*member, double low, double high, int decimals,
                           const QString& unit, const QString& tooltip = {}, const QString& zero = {}) {
        auto* box = new QDoubleSpinBox;
        box->setRange(low, high);
        box->setDecimals(decimals);
        box->setKeyboardTracking(false);
        if (!unit.isEmpty()) box->setSuffix(" " + unit);
        if (!zero.isEmpty()) box->setSpecialValueText(zero);
        add(label, box, tooltip);
        QObject::connect(box, &QDoubleSpinBox::valueChanged, widget_, [this, member, label](double v) {
            if (static_cast<double>(value_.*member) != v) {
                value_.*member = static_cast<N>(v);
                changed_(T(value_), label);
            }
        });
        show_.push_back([box, member](const T& v) {
            const QSignalBlocker quiet(box);
            box->setValue(static_cast<double>(v.*member));
        });
        return box;
    }
    template<class E>
    QComboBox* choice(const QString& label, E T::*member, const QStringList& words, const QString& tooltip = {}) {
        auto* box = new QComboBox;
        box->addItems(words);
        add(label, box, tooltip);
        QObject::connect(box, &QComboBox::activated, widget_, [this, member, label](int i) {
            if (value_.*member != static_cast<E>(i)) {
                value_.*member = static_cast<E>(i);
                changed_(T(value_), label);
            }
        });
        show_.push_back([box, member](const T& v) { box->setCurrentIndex(static_cast<int>(v.*member)); });
        return box;
    }
    QCheckBox* flag(const QString& label, bool T::*member, const QString& tooltip = {}) {
        auto* box = new QCheckBox(label);
        box->setToolTip(tooltip);
        layout_->addRow(box);
        QObject::connect(box, &QCheckBox::clicked, widget_, [this, member, label](bool on) {
            if (value_.*member != on) {
                value_.*member = on;
                changed_(T(value_), label);
            }
        });
        show_.push_back([box, member](const T& v) { box->setChecked(v.*member); });
        return box;
    }
    void set(const T& v) {
        value_ = v;
        for (const auto& show : show_) show(v);
    }

private:
    void add(const QString& label, QWidget* field, const QString& tooltip) {
        field->setToolTip(tooltip);
        field->setAccessibleName(label);
        auto* words = new QLabel(label);
        words->setProperty("dim", true);
        words->setBuddy(field);
        words->setMinimumWidth(least_label_);
        layout_->addRow(words, field);
    }

    QWidget* widget_;
    QFormLayout* layout_;
    std::function<void(const T&, const QString&)> changed_;
    T value_{};
    int least_label_ = 0;
    std::vector<std::function<void(const T&)>> show_;
};

} // namespace refero::app
