#pragma once

/// The processes below the launcher: signalling all of them, whatever sessions and groups they made.
namespace assay::launcher {

/// Signals everything below process `root`, parents first, so that they can't make more. TERM comes with
/// CONT. What lies deeper than 40 comes up by adoption when its parents are gone. A process is signalled by
/// its pidfd, once it is known to be where it was found, so that a number which another program has meanwhile
/// got does it no harm.
/// Returns how many of them have not ended.
int signal_below(int root, int signal_number);

/// Signals everything below this process.
int signal_everything(int signal_number);

/// Kills what is below a process: stops all of it first, until no more comes, so that a tree that grows can
/// be caught.
void kill_below(int root);

/// Whether each process below this one is in one of `count` process groups, or has ended.
bool are_all_below_in(const int* groups, int count);

/// The letter that /proc has for what a process does: T, it was stopped; Z, it has ended. ? where there is
/// none.
char state_of(int pid);

/// The session that a process, or one that has ended and was not reaped yet, belongs to; 0 when unknown.
int session_of(int pid);

/// Bytes that this module has read from files so far: they are the launcher's, not the trial's.
extern long long bytes_read_here;

}  // namespace assay::launcher
