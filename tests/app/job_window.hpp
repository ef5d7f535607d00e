// A window with an empty scratch folder, kit and card; frames as the job's cameras would leave them.
#pragma once

#include "gui.hpp"
#include "main_window.hpp"
#include "operations/demo/simulated_camera.hpp"

namespace refero::app {

using test::Scratch;

struct JobWindow : testing::Test {
    Scratch scratch;
    MainWindow window;
    fs::path job = scratch / "shoot.refero", card = scratch / "card";

    JobWindow() {
        window.resize(1280, 800);
        window.show();
        EXPECT_TRUE(QTest::qWaitForWindowExposed(&window));
        desk().kit.use(scratch / "kit.refero-kit");
        fs::create_directories(card);
    }
    Desk& desk() { return window.desk(); }
    PlanView& plan() { return *window.plan_view(); }
    FramesView& frames() { return *window.board_place()->frames_view(); }
    bool idle() {
        return wait_for([&] { return desk().tasks.running() == 0; });
    }
    Id id(int n) { return desk().chains.ids().at(static_cast<std::size_t>(n)); }
    QString notice() {
        const auto* strip = window.findChild<QWidget*>("noticeStrip");
        return strip->isVisible() ? strip->findChild<QLabel*>()->text() : QString();
    }
    /// What the job holds, in words.
    std::string content() {
        const shoot::Shoot& s = desk().job.shoot();
        std::string text;
        for (const auto& c : s.cameras)
            text += "camera " + c.name + std::to_string(c.clock_offset_s) + std::to_string(c.silent_lens) + "\n";
        for (const auto& l : s.lights) text += "light " + l.name + l.changed + std::to_string(l.place) + "\n";
        for (const auto& x : s.setups)
            text += "setup " + std::to_string(x.id) + x.settings + std::to_string(x.balance_only) +
                    std::to_string(x.lens) + "\n";
        for (const auto& f : s.frames)
            text += "frame " + f.path + std::to_string(f.setup) + f.reason + shoot::name_of(f.kind) +
                    std::to_string(f.lens) + "\n";
        for (const auto& c : s.chart_shots)
            text += "shot " + std::to_string(c.setup) + c.refused + c.corners + c.problem + "\n";
        for (const auto& r : s.readings)
            text += "reading " + std::to_string(r.chart_shot) + std::to_string(r.content.size()) + "\n";
        for (const auto& c : s.corrections)
            text += "correction " + std::to_string(c.setup) + c.made + std::to_string(c.taken_from) + "\n";
        for (const auto& p : s.proofs) text += "proof " + std::to_string(p.correction) + p.basis + "\n";
        for (const auto& h : s.handovers) text += "handover " + h.file + std::to_string(h.correction) + "\n";
        for (const auto& b : s.briefs) text += b.title + b.client + shoot::name_of(b.lens_school) + "\n";
        for (const auto& n : s.notes) text += "note " + n.text + "\n";
        return text;
    }
    /// Cameras of the simulator and lights, all combinations planned.
    void plan_shoot(const QStringList& cameras, const QStringList& lights) {
        desk().job.create(job);
        window.show_plan();
        for (const QString& c : cameras) plan().add_camera(c);
        for (const QString& l : lights) plan().add_light(l);
        edit(desk().job, "Lens and charts", [&](shoot::Change& e) {
            e.add(shoot::LensRecord{.name = "Lens 50 mm"});
            e.add(shoot::CardRecord{.name = "Hand chart", .definition = "grid24", .width_mm = 203, .height_mm = 132});
            for (shoot::CameraRecord c : desk().job.shoot().cameras) {
                const char* id = c.name == "Stills A"   ? "stills-a"
                                 : c.name == "Stills B" ? "stills-b"
                                 : c.name == "Cine A"   ? "cine-a"
                                                        : "cine-b";
                c.model = c.name;
                c.serial_number = simulate::camera_named(id).serial_number;
                e.update(c);
            }
        });
        plan().plan_all();
    }
    /// A frame of a setup as its camera would leave it, small and quick.
    fs::path shoot(Id setup, const char* name, const std::string& taken, bool chart = true,
                   operations::Mistake mistake = operations::Mistake::none) {
        auto scene = operations::simulated_scene(
            desk().job.shoot(), setup,
            {.chart = chart, .share = 0.2, .mistake = mistake, .seed = std::hash<std::string>{}(name), .taken = taken});
        scene.width = 900;
        scene.height = 600;
        simulate::write(simulate::render(scene), card / name);
        return card / name;
    }
};

inline void type(QWidget* into, const QString& text) {
    into->setFocus();
    QTest::keyClicks(into, text);
    QTest::keyClick(into, Qt::Key_Return);
}

} // namespace refero::app
