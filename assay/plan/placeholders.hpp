#pragma once

#include <map>
#include <span>
#include <string>
#include <string_view>

namespace assay::plan {

/// Names with a meaning of their own: no factor and no `with` may take them.
std::span<const std::string> reserved_placeholders();

/// Replaces each `${name}` in `text` by its value; `$${` stands for a literal `${`, and `${byte.e9}` for the
/// byte of that hexadecimal number, which is how a plan, whose text is UTF-8, has arguments that are none.
///
///   expand("net-${locks}.txt", {{"locks", "800"}})  ==  "net-800.txt"
///   expand("$${HOME}", {})                          ==  "${HOME}"
///
/// Throws Error (without a place) for a name that has no value here, with the near miss, and for a `${`
/// that is never closed.
std::string expand(const std::string& text, const std::map<std::string, std::string>& values);

/// A text that is to be taken as it is, byte for byte, as expand() gives it back.
std::string escape(std::string_view text);

/// The placeholders whose values are known only when a trial begins, as `expand` takes them: each is left in
/// the text as a mark that no argument of a program can contain, for bind_placeholders() to replace.
const std::map<std::string, std::string>& trial_placeholders();

/// Whether a text of expand() waits for the value of `${name}`.
bool is_unbound(const std::string& text, const std::string& name);

/// Puts `value` where a text of expand() waits for `${name}`.
std::string bind_placeholders(std::string text, const std::string& name, const std::string& value);

}  // namespace assay::plan
