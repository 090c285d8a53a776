// Writes the manual pages into a folder, for the installation: bayswap_manual OUT DOCS.
#include <filesystem>
#include <fstream>
#include <iostream>
#include <iterator>

#include "cli/manual.h"
#include "cli/tool.h"

int main(int count, char** words) {
  using namespace bayswap::cli;
  if (count != 3) {
    std::cerr << "usage: bayswap_manual OUT DOCS\n";
    return 2;
  }
  const std::filesystem::path out = words[1];
  const std::filesystem::path docs = words[2];
  const auto markdown = [&](const char* name) {
    std::ifstream file(docs / name, std::ios::binary);
    return std::string(std::istreambuf_iterator<char>(file), {});
  };
  auto pages = command_pages(describe_tool(), BAYSWAP_VERSION);
  pages.push_back(reader_page(BAYSWAP_VERSION));
  pages.push_back(docs_page(markdown("bays.md"), "bayswap-bays",
                            "places where saves lie, and the list of games"));
  pages.push_back(docs_page(markdown("naming.md"), "bayswap-patterns",
                            "how names of saves are built and read"));
  std::filesystem::create_directories(out);
  for (const ManualPage& page : pages) {
    std::ofstream file(out / page.file, std::ios::binary);
    file << page.text;
    if (!file.flush()) {
      std::cerr << (out / page.file).string() << ": can't be written\n";
      return 4;
    }
  }
  return 0;
}
