#include "core/deliver/page_text.h"

#include <fmt/format.h>

namespace dusky {

std::string forPage(const std::string& text) {
  std::string out;
  for (const char c : text) out += c == '<' ? "&lt;" : c == '>' ? "&gt;" : c == '&' ? "&amp;" : c == '"' ? "&quot;" : std::string(1, c);
  return out;
}

std::string pageOf(const std::string& heading, const std::string& body) {
  return fmt::format(
      "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>{0}</title>\n<style>\n"
      "body {{ background: #1c1620; color: #ece6ef; font: 15px/1.5 Inter, sans-serif; margin: 2rem auto; max-width: 60rem; padding: 0 1rem }}\n"
      "h2 {{ margin-top: 2rem }}\ntable {{ border-collapse: collapse; width: 100% }}\n"
      "td {{ border-bottom: 1px solid #3a3040; padding: .35rem .8rem .35rem 0; vertical-align: top }}\nfigure {{ margin: 1rem 0 }}\n"
      ".off td {{ color: #f5c15b }}\nsvg {{ background: #241c29 }}\n</style></head><body>\n<h1>{0}</h1>\n{1}</body></html>\n",
      forPage(heading), body);
}

}  // namespace dusky
