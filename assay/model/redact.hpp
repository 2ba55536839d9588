#pragma once

#include <string>
#include <string_view>

#include "assay/model/log.hpp"
#include "assay/model/results.hpp"

namespace assay::model {

/// The text with every absolute path into a place of this machine's own cut down to its last part:
/// "/home/ann/towpath/net.txt" is "…/net.txt". Such places are /home, /root, /tmp, /var, /opt, /srv, /mnt,
/// /media, /run and the first folder of `folder`; paths to what systems have in common, as /usr/bin/sort,
/// stay.
std::string shorten_local_paths(std::string_view text, std::string_view folder);

/// Findings and records as documents that leave the machine show them: no text of them holds such a path, and
/// the folder of the campaign is gone. Names and levels that would become equal are numbered: `…/net.txt #2`.
/// Facts about the machine name neither it nor its users as they are.
Findings redacted(Findings findings);
Record redacted(Record record);

}  // namespace assay::model
