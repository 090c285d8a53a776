// Pages: valid, without anything foreign that is not escaped, and opened by a browser where one is
// installed.
#include <pugixml.hpp>

#include "cli/render/html.h"
#include "cli/render/page.h"
#include "core/packing/png.h"
#include "support/bytes.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using test::Tool;

class Pages : public Tool {
 protected:
  std::string page(std::vector<std::string> words, int status = 0) {
    words.insert(words.end(), {"--page", "page.html", "--replace"});
    const auto outcome = run(words);
    EXPECT_EQ(outcome.status, status) << outcome.err;
    return test::text_of(folder_ / "page.html");
  }
};

// Elements that have no end in HTML get one, and the rest has to be a tree.
void expect_sound(std::string html) {
  ASSERT_TRUE(html.starts_with("<!DOCTYPE html>\n<html lang=\"en\">")) << html.substr(0, 80);
  EXPECT_EQ(html.find("<script"), std::string::npos);
  EXPECT_EQ(html.find("http"), std::string::npos) << "nothing is loaded from elsewhere";
  html.erase(0, html.find('\n'));
  for (const std::string name : {"meta", "img", "br"})
    for (auto at = html.find("<" + name); at != std::string::npos;
         at = html.find("<" + name, at + 1)) {
      bool quoted = false;  // a > in quotes ends nothing
      for (; html[at] != '>' || quoted; ++at) quoted = quoted != (html[at] == '"');
      html.insert(at, "/");
    }
  pugi::xml_document document;
  const auto parsed = document.load_string(html.c_str());
  ASSERT_TRUE(parsed) << parsed.description() << " at "
                      << html.substr(static_cast<std::size_t>(parsed.offset), 60);
  EXPECT_EQ(document.select_nodes("//h1").size(), 1U);
  for (const auto& image : document.select_nodes("//img"))
    EXPECT_STRNE(image.node().attribute("alt").value(), "");
  for (const auto& picture : document.select_nodes("//*[@role='img']"))
    EXPECT_STRNE(picture.node().attribute("aria-label").value(), "");
  for (const auto& table : document.select_nodes("//table"))
    EXPECT_TRUE(table.node().child("caption"));
}

TEST_F(Pages, AreSoundForEveryCommandThatWritesOne) {
  expect_sound(page({"card", "show", "attic/cards/kites.card"}));
  EXPECT_NE(test::text_of(folder_ / "page.html").find("data:image/png;base64,"), std::string::npos);
  expect_sound(page({"card", "show", "den/cards/left.card"}));
  const std::string looked = page({"look", "downloads"}, 3);
  expect_sound(looked);
  EXPECT_NE(looked.find("bayswap card mend downloads/failed.card"), std::string::npos);
  expect_sound(page({"look", "wharf"}));
  EXPECT_NE(test::text_of(folder_ / "page.html").find("slot 5"), std::string::npos);
  expect_sound(page({"look", "reader/Copper Tide (America).sra"}));
  ASSERT_EQ(run({"keep", "den"}).status, 0);
  expect_sound(page({"history"}));
  std::filesystem::create_directories(folder_ / "stick");
  ASSERT_EQ(run({"hub", "join", "stick", "--as", "den"}).status, 0);
  const std::string hub = page({"hub", "show"});
  expect_sound(hub);
  EXPECT_NE(hub.find("Not on the hub yet"), std::string::npos);
  EXPECT_EQ(run({"hub", "show", "--page", "page.html"}).status, 1) << "it is there";
}

// They change no save, so undo takes back what was done before them.
TEST_F(Pages, AreNothingToUndo) {
  const std::string there = "den/saves/Lantern Drift (Europe).srm";
  ASSERT_EQ(run({"carry", "reader/LANTERN DRIFT.srm", "--to", "den"}).status, 0);
  ASSERT_TRUE(std::filesystem::exists(folder_ / there));
  ASSERT_EQ(run({"look", there, "--page", "pages/save.html"}).status, 0);
  ASSERT_EQ(run({"state", "list", "wharf", "--png", "board.png"}).status, 0);
  ASSERT_EQ(run({"card", "show", "den/cards/left.card", "--icons", "pictures"}).status, 0);
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_FALSE(std::filesystem::exists(folder_ / there));
  EXPECT_TRUE(std::filesystem::exists(folder_ / "pages/save.html"));
  EXPECT_TRUE(std::filesystem::exists(folder_ / "board.png"));
  EXPECT_TRUE(std::filesystem::exists(folder_ / "pictures"));
  // A file that a page replaced comes back.
  folder_.write("mine.html", test::bytes({1, 2, 3}));
  ASSERT_EQ(run({"look", "wharf", "--page", "mine.html", "--replace"}).status, 0);
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "mine.html"), test::bytes({1, 2, 3}));
}

TEST_F(Pages, OpenInABrowser) {
  if (!std::filesystem::exists("/usr/bin/chromium")) GTEST_SKIP() << "no browser is installed";
  page({"card", "show", "attic/cards/kites.card"});
  const auto opened = test::run_program(
      {"/usr/bin/chromium", "--headless", "--no-sandbox", "--disable-gpu",
       "--user-data-dir=" + at("browser"), "--dump-dom", "file://" + at("page.html")},
      folder_.path(), {"HOME=" + at("home"), "PATH=/usr/bin:/bin"});
  EXPECT_EQ(opened.status, 0) << opened.err;
  EXPECT_NE(opened.out.find("<h1>attic/cards/kites.card</h1>"), std::string::npos);
  EXPECT_NE(opened.out.find("Workshop, 12 kites"), std::string::npos);
}

TEST(Html, EscapesEverythingForeign) {
  const std::string evil =
      "</title><script>alert(1)</script><img src=x onerror=y>\x1B[31m\"'&</img>";
  cli::HtmlPage page(evil);
  page.heading(evil);
  page.paragraph(evil);
  page.command(evil, evil);
  page.facts({{evil, evil}});
  page.table(evil, {evil}, {{evil}});
  page.findings({{Level::error, Code::damaged, evil, evil}});
  page.figures({{"AAAA", evil, {evil}}});
  page.strip(evil, {0, 50, 100});
  page.map(evil, {{3, evil, evil}});
  const std::string html = page.text();
  expect_sound(html);
  EXPECT_EQ(html.find("<script"), std::string::npos);
  std::size_t images = 0;
  for (auto at = html.find("<img"); at != std::string::npos; at = html.find("<img", at + 1))
    ++images;
  EXPECT_EQ(images, 1U) << "our own";
  EXPECT_EQ(html.find('\x1B'), std::string::npos);
}

TEST(Html, HoldsPicturesAsPng) {
  const Picture picture{2, 1, {{255, 0, 0, 255}, {0, 255, 0, 255}}};
  EXPECT_EQ(cli::base64_of(test::bytes({'a', 'b', 'c', 'd'})), "YWJjZA==");
  EXPECT_EQ(cli::base64_png(picture), cli::base64_of(*png_of(picture)));
  EXPECT_EQ(cli::base64_png({}), "");
}

}  // namespace
}  // namespace bayswap
