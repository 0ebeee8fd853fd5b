// Stages and variants: a table of changes laid over the tree of a case.
#pragma once

#include "node.hpp"

namespace williwaw::casefile {

/// Replaces in `root` what `changes` names: keys of sections, axes and regions one by one; conditions of a
/// side and values of a key whole; named entries of lists by their name. `title` replaces the title.
void lay_over(Node& root, const Node& changes);

/// The entries of [[variant]] or [[stage]]; none where there is no such list. Throws CaseError if it is not a
/// list of tables, or an entry lacks its title.
std::vector<const Node*> entries_of(const Node& root, const std::string& list);
std::string title_of_entry(const Node& entry, const std::string& list);

/// Takes a key out of a table, if it is there.
void erase_key(Node& table, const std::string& key);

}  // namespace williwaw::casefile
