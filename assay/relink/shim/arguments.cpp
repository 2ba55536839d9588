#include "assay/relink/shim/arguments.hpp"

#include <fcntl.h>
#include <unistd.h>

namespace assay::shim {
namespace {

constexpr int deepest = 16;  // files that name themselves

bool is_space(char c) { return c == ' ' || (c >= '\t' && c <= '\r'); }

Words split(const std::string& text) {
  Words words;
  for (std::size_t at = 0; at < text.size();) {
    if (is_space(text[at])) {
      ++at;
      continue;
    }
    std::string word;
    char quote = 0;
    for (; at < text.size() && (quote != 0 || !is_space(text[at])); ++at) {
      const char c = text[at];
      if (c == '\\' && at + 1 < text.size())
        word += text[++at];
      else if (quote != 0 ? c == quote : c == '\'' || c == '"')
        quote = quote != 0 ? '\0' : c;
      else
        word += c;
    }
    words.push_back(word);
  }
  return words;
}

void expand_into(const Words& arguments, int depth, Words& all) {
  for (const auto& word : arguments) {
    std::string text;
    if (word.size() > 1 && word[0] == '@' && depth < deepest && read_whole(word.substr(1), text))
      expand_into(split(text), depth + 1, all);
    else
      all.push_back(word);
  }
}

}  // namespace

bool read_whole(const std::string& path, std::string& into) {
  const int file = open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (file < 0) return false;
  char piece[1 << 14];
  ssize_t count = 0;
  while ((count = read(file, piece, sizeof piece)) > 0) into.append(piece, static_cast<std::size_t>(count));
  close(file);
  return count == 0;
}

Words expanded(const Words& arguments) {
  Words all;
  expand_into(arguments, 0, all);
  return all;
}

}  // namespace assay::shim
