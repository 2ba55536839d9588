#pragma once

/// The processes below the launcher: signalling all of them, whatever sessions and groups they made.
namespace assay::launcher {

/// Signals `pid` and everything below it, the parent first, so that it can't make more. TERM comes with CONT.
/// What lies deeper than 40 comes up by adoption when its parents are gone.
void signal_tree(int pid, int signal_number, int depth = 0);

/// Signals everything below this process.
void signal_everything(int signal_number);

/// The session that a process, or one that has ended and was not reaped yet, belongs to; 0 when unknown.
int session_of(int pid);

/// Bytes that this module has read from files so far: they are the launcher's, not the trial's.
extern long long bytes_read_here;

}  // namespace assay::launcher
