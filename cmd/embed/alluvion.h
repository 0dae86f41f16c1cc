/* Alluvion without a service: a session of one player, in a C library. See docs/offline.md.
 *
 * A machine (bindings, or your own code by docs/wire.md) talks to a session by the same messages as to a service: alluvion_received takes
 * one of its messages, alluvion_next gives what there is for it. Nothing calls back. Times are the host's, in milliseconds, never going
 * back; a jump of more than ten seconds is a pause. Every text and every buffer that is handed out is freed with alluvion_free. There is
 * one Go runtime in a process, and the library is never unloaded. A session is for one thread at a time. */
#ifndef ALLUVION_H
#define ALLUVION_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Opens a plan (YAML). commons is a JSON object of texts by their ids, or NULL; saved is what alluvion_save gave the last time, or NULL.
  * A plan that alluvion compile wrote has its commons in it. saved may also be a save that was downloaded from a service.
 * 0 where it cannot be opened: wrong says why. */
int64_t alluvion_open(const char *plan, const char *commons, const char *saved, uint32_t seed, char **wrong);
void alluvion_close(int64_t session);

/* What machines need for frames in bits, as JSON. */
char *alluvion_layout(int64_t session);

/* What in the save was not as the plan has it, and what it has instead: a JSON list of {"name", "reason", "instead"}. */
char *alluvion_problems(int64_t session);

/* Begins a connection over a sub-protocol: alluvion.packed.1 or alluvion.json.1 (.2 where the plan has near). 0 where it is none. */
int alluvion_connect(int64_t session, const char *protocol, char **wrong);
/* The machine is gone without a word: its player leaves. */
void alluvion_disconnect(int64_t session);

/* A message of the machine, text or bytes. */
void alluvion_received(int64_t session, const char *data, size_t length, int64_t now);
/* Lets time pass. */
void alluvion_advance(int64_t session, int64_t now);
/* How late it is by the calendar, in milliseconds since 1970 in UTC, where the plan has days or weeks: they stand still without. */
void alluvion_today(int64_t session, int64_t date);
/* The next message for the machine: 1, or 0 where there is none. It ends in a zero that length does not count. */
int alluvion_next(int64_t session, char **data, size_t *length, int *binary);
/* Why the connection has ended, once all messages were taken: a close code, or 0 while it has not. */
int alluvion_ended(int64_t session);

/* Whether something happened since alluvion_save; what to keep, in place of what was kept before, and the machine's last request that is in
 * it; and that it is kept. */
int alluvion_unsaved(int64_t session);
char *alluvion_save(int64_t session, int64_t *number);
void alluvion_stored(int64_t session, int64_t number);
/* Where a service has put what alluvion_save gave the last time, when that was handed over to it. */
void alluvion_handed_over(int64_t session, int slot, int revision);

void alluvion_free(void *p);

#ifdef __cplusplus
}
#endif

#endif
