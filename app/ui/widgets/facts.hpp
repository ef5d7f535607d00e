// Figures and facts beside a picture: one big figure, words under it, and a list of small facts.
#pragma once

#include <QLabel>
#include <QWidget>

namespace refero::app {

/// A big figure with its name above and an explanation below.
class Figure : public QWidget {
    Q_OBJECT

public:
    explicit Figure(const QString& name, QWidget* parent = nullptr);
    void set(const QString& value, const QString& words = {}, const QString& tooltip = {});
    QString value() const { return value_->text(); }

private:
    QLabel *name_, *value_, *words_;
};

/// Name and value in two columns; rows that hold nothing are left out.
class Facts : public QWidget {
    Q_OBJECT

public:
    explicit Facts(QWidget* parent = nullptr);
    void set(const std::vector<std::pair<QString, QString>>& facts);

private:
    QLabel* table_;
};

} // namespace refero::app
