// The place Practice, through the real window.
#include <QFileDialog>

#include "job_window.hpp"

namespace refero::app {

using practice::Kind;

namespace {

struct PracticeWalk : JobWindow {
    PracticeView& view() { return *window.practice_view(); }
    const std::vector<shoot::AnswerRecord>& answers() { return desk().kit.kit().answers; }
    template<class T>
    T* child(const QString& name) {
        return view().findChild<T*>(name);
    }
    const practice::Task& ask(Kind kind) {
        view().choose(kind);
        QTest::keyClick(&window, Qt::Key_Return, Qt::ControlModifier);
        EXPECT_TRUE(wait_for([&] { return view().task() != nullptr; }));
        return view().task()->made.task;
    }
    void press_answer(int i) { QTest::mouseClick(child<QPushButton>(QString("answer%1").arg(i)), Qt::LeftButton); }
    QString verdict() { return child<QLabel>("practiceVerdict")->text(); }
    PracticeWalk() { QTest::keyClick(&window, Qt::Key_6); }
};

} // namespace

TEST_F(PracticeWalk, a_fault_is_named_and_the_answer_is_kept) {
    ASSERT_TRUE(view().isVisible());
    const practice::Task t = ask(Kind::what_wrong);
    photograph(window, "practice");
    press_answer(t.right.front());
    EXPECT_TRUE(verdict().contains("Right.")) << verdict().toStdString();
    ASSERT_EQ(answers().size(), 1u);
    EXPECT_TRUE(answers()[0].passed);
    EXPECT_EQ(answers()[0].about, t.about);
    EXPECT_EQ(answers()[0].task, "what is wrong");
    // A second press counts nothing.
    press_answer(t.right.front());
    EXPECT_EQ(answers().size(), 1u);
    // The next one is wrong: said, with what it is.
    const practice::Task second = ask(Kind::what_wrong);
    press_answer((second.right.front() + 1) % static_cast<int>(second.answers.size()));
    EXPECT_TRUE(verdict().contains("Not so.")) << verdict().toStdString();
    EXPECT_TRUE(verdict().contains("It is:"));
    ASSERT_EQ(answers().size(), 2u);
    EXPECT_FALSE(answers()[1].passed);
    photograph(window, "practice-answered");
}

TEST_F(PracticeWalk, six_frames_are_kept_or_not) {
    const practice::Task t = ask(Kind::keep_which);
    ASSERT_EQ(t.shots.size(), 6u);
    for (const int i : t.right) child<QCheckBox>(QString("keep%1").arg(i))->setChecked(true);
    photograph(window, "practice-six");
    QTest::mouseClick(child<QPushButton>("practiceKeep"), Qt::LeftButton);
    EXPECT_TRUE(verdict().contains("Right.")) << verdict().toStdString();
}

TEST_F(PracticeWalk, by_eye_and_on_paper) {
    for (const Kind kind : {Kind::which_patch, Kind::how_much, Kind::plan_it}) {
        const practice::Task t = ask(kind);
        if (kind == Kind::how_much) photograph(window, "practice-eye");
        press_answer(t.right.front());
        EXPECT_TRUE(verdict().contains("Right.")) << verdict().toStdString();
    }
    EXPECT_EQ(answers().size(), 3u);
}

// The lamp is moved by keys; each arrangement is a frame that the gate judges.
TEST_F(PracticeWalk, a_set_is_lit_until_the_gate_passes) {
    ask(Kind::light_it);
    ASSERT_TRUE(view().plan()->isVisible());
    ASSERT_TRUE(idle());
    EXPECT_TRUE(view().findChild<QLabel*>("practiceVerdict")->text().isEmpty());
    const double before = view().plan()->studio().lamps.front().at.x();
    QTest::keyClick(view().plan(), Qt::Key_Left);
    EXPECT_NEAR(view().plan()->studio().lamps.front().at.x(), before - 0.1, 1e-9);
    photograph(window, "practice-set");
    simulate::Studio good;
    good.lamps.front() = {{-1.3, 0.2, 1.3}, 0.15, 1};
    good.lamps.push_back({{1.3, 0.2, 1.3}, 0.15, 1});
    view().plan()->set(good);
    emit view().plan()->moved(good);
    ASSERT_TRUE(wait_for([&] { return verdict().contains("The gate passes"); })) << verdict().toStdString();
    ASSERT_EQ(answers().size(), 1u);
    EXPECT_TRUE(answers()[0].passed);
    photograph(window, "practice-lit");
    // A second lamp of another colour.
    auto* second = [&]() -> QComboBox* {
        for (auto* box : view().findChildren<QComboBox*>())
            if (box->accessibleName() == "Light of the second lamp") return box;
        return nullptr;
    }();
    ASSERT_TRUE(second);
    EXPECT_FALSE(second->isEnabled());
    for (auto* box : view().findChildren<QCheckBox*>())
        if (box->text() == "a second lamp") box->click();
    ASSERT_TRUE(second->isEnabled());
    second->setFocus();
    QTest::keyClick(second, Qt::Key_Down);
    EXPECT_EQ(second->currentText(), "window");
    EXPECT_TRUE(view().plan()->studio().lamps[1].light);
    simulate::Studio mixed = view().plan()->studio();
    mixed.lamps[1].at = {0.8, 0.2, 0.45}; // near, so that it falls off
    mixed.lamps[1].strength = 0.35;
    view().plan()->set(mixed);
    emit view().plan()->moved(mixed);
    ASSERT_TRUE(wait_for([&] { return verdict().contains("It passed; now"); })) << verdict().toStdString();
    photograph(window, "practice-mixed");
}

TEST_F(PracticeWalk, what_is_thought_of_is_rehearsed_side_by_side) {
    const auto combo = [&](const char* name) -> QComboBox* {
        for (auto* box : view().findChildren<QComboBox*>())
            if (box->accessibleName() == name) return box;
        return nullptr;
    };
    child<QTabWidget>("practiceTabs")->setCurrentIndex(3);
    QTest::mouseClick(child<QPushButton>("rehearse"), Qt::LeftButton);
    auto* table = [&]() -> QTableWidget* {
        for (auto* t : view().findChildren<QTableWidget*>())
            if (t->accessibleName() == "Expected errors") return t;
        return nullptr;
    }();
    ASSERT_TRUE(table);
    ASSERT_TRUE(wait_for([&] { return table->rowCount() == 7; }));
    // Another try stands beside it, with what the chart shot in this light brings.
    combo("Chart shot")->setCurrentText("tungsten");
    combo("Light")->setCurrentText("led");
    QTest::mouseClick(child<QPushButton>("rehearse"), Qt::LeftButton);
    ASSERT_TRUE(wait_for([&] { return table->columnCount() == 3; }));
    EXPECT_EQ(table->rowCount(), 11);
    EXPECT_EQ(table->item(4, 1)->text(), QString::fromUtf8("\u2013"));
    EXPECT_GT(table->item(4, 2)->text().toDouble(), table->item(0, 2)->text().toDouble());
    photograph(window, "practice-rehearsal");
}

// Tables are chosen in the dialog; one that cannot be read is told; cancelled, and then the same again.
TEST_F(PracticeWalk, a_rehearsal_takes_tables_and_can_be_cancelled) {
    std::string sensitivities = "nm,red,green,blue\n", light = "nm,power\n";
    for (int nm = 380; nm <= 780; nm += 5) {
        const auto band = [&](double at, double wide) { return std::exp(-0.5 * std::pow((nm - at) / wide, 2)); };
        sensitivities += formatted("{},{:.5f},{:.5f},{:.5f}\n", nm, band(600, 35), band(540, 40), band(455, 28));
        light += formatted("{},{:.5f}\n", nm, 0.3 + band(560, 90));
    }
    test::written(scratch / "mine.csv", sensitivities);
    test::written(scratch / "lamp.csv", light);
    test::written(scratch / "words.csv", "these are words");
    child<QTabWidget>("practiceTabs")->setCurrentIndex(3);
    const auto named = [&](const char* name) {
        for (auto* box : view().findChildren<QComboBox*>())
            if (box->accessibleName() == name) return box;
        return static_cast<QComboBox*>(nullptr);
    };
    QTableWidget* table = nullptr;
    for (auto* t : view().findChildren<QTableWidget*>())
        if (t->accessibleName() == "Expected errors") table = t;
    ASSERT_TRUE(table);
    QStringList files; // chosen one after the other
    QTimer chooser;
    QObject::connect(&chooser, &QTimer::timeout, [&] {
        auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
        if (!dialog || files.isEmpty()) return;
        dialog->findChild<QLineEdit*>("fileNameEdit")->setText(files.takeFirst());
        static_cast<QDialog*>(dialog)->accept();
    });
    chooser.start(20);
    const auto rehearse = [&](const QStringList& tables) {
        files = tables;
        QTest::mouseClick(child<QPushButton>("rehearse"), Qt::LeftButton);
    };
    const auto path = [&](const char* name) { return QString::fromStdString((scratch / name).string()); };
    named("Camera")->setCurrentIndex(named("Camera")->count() - 1);
    named("Light")->setCurrentIndex(named("Light")->count() - 1);
    rehearse({path("words.csv")});
    EXPECT_TRUE(notice().contains("words.csv")) << notice().toStdString();
    EXPECT_EQ(desk().tasks.running(), 0);

    rehearse({path("mine.csv"), path("lamp.csv")});
    EXPECT_EQ(desk().tasks.running(), 1);
    desk().tasks.cancel_all();
    ASSERT_TRUE(idle());
    EXPECT_EQ(table->columnCount(), 1) << "cancelled: nothing stands there";
    rehearse({path("mine.csv"), path("lamp.csv")});
    ASSERT_TRUE(wait_for([&] { return table->columnCount() == 2 && desk().tasks.running() == 0; }));
    EXPECT_TRUE(table->horizontalHeaderItem(1)->text().startsWith("mine\nlamp"))
        << table->horizontalHeaderItem(1)->text().toStdString();
    EXPECT_GT(table->item(0, 1)->text().toDouble(), 0);
    // Own surfaces: shares, not powers.
    test::written(scratch / "cloths.csv", light);
    files = {path("cloths.csv")};
    QTest::mouseClick(child<QPushButton>("ownSurfaces"), Qt::LeftButton);
    EXPECT_TRUE(notice().contains("above 1")) << notice().toStdString();
}

} // namespace refero::app
