#include "assay/render/page_template.hpp"

extern "C" {
extern const char assay_page_template[], assay_page_style[], assay_page_script[], assay_page_libraries[],
    assay_page_history[], assay_page_end[];
}

namespace assay::render {

std::string findings_form() { return {assay_page_template, assay_page_style}; }
std::string history_form() { return {assay_page_history, assay_page_end}; }
std::string page_style() { return {assay_page_style, assay_page_script}; }
std::string page_script() { return {assay_page_script, assay_page_libraries}; }
std::string page_libraries() { return {assay_page_libraries, assay_page_history}; }

std::string in_script(const ChartJson& json) {
  const auto text = json.dump(-1, ' ', false, ChartJson::error_handler_t::replace);
  std::string safe;
  safe.reserve(text.size());
  for (const char c : text) {
    if (c == '<')
      safe += "\\u003c";
    else
      safe += c;
  }
  return safe;
}

}  // namespace assay::render
