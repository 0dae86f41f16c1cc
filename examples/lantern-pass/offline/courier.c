/* Lantern Pass in C, without a service: a courier takes a parcel, tries the bridge, and is kept in a file. Played again, it goes on.
 *
 *   go build -buildmode=c-shared -o liballuvion.so ./cmd/embed
 *   cc -I cmd/embed examples/lantern-pass/offline/courier.c -L. -lalluvion -o courier
 *   LD_LIBRARY_PATH=. ./courier examples/lantern-pass/plan.yaml commons.json courier.save */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "alluvion.h"

static char *file(const char *name) {
  FILE *f = fopen(name, "rb");
  if (!f) return NULL;
  char *text = calloc(1, 1 << 20);
  fread(text, 1, (1 << 20) - 1, f);
  fclose(f);
  return text;
}

static int64_t session, now;

/* Asks for something, and prints what comes back but for frames. */
static void ask(const char *message) {
  char *data;
  size_t length;
  int binary;
  alluvion_received(session, message, strlen(message), now += 100);
  while (alluvion_next(session, &data, &length, &binary)) {
    const char *parcels = strstr(data, "\"player.parcels@nell\":");
    if (parcels) printf("parcels: %d\n", atoi(strchr(parcels, ':') + 1));
    if (strncmp(data, "{\"is\":\"tick\"", 12) != 0) printf("%s\n", data);
    alluvion_free(data);
  }
}

int main(int argc, char **argv) {
  if (argc != 4) return fprintf(stderr, "courier PLAN COMMONS SAVE\n"), 2;
  char *plan = file(argv[1]), *commons = file(argv[2]), *saved = file(argv[3]), *wrong = NULL;
  session = alluvion_open(plan ? plan : "", commons, saved, 7, &wrong);
  if (!session || !alluvion_connect(session, "alluvion.json.1", &wrong)) return fprintf(stderr, "%s\n", wrong), 1;
  char *problems = alluvion_problems(session);
  if (strcmp(problems, "[]") != 0) printf("not as the plan has it: %s\n", problems);
  alluvion_free(problems);
  ask("{\"is\":\"hello\",\"player\":\"nell\"}");
  ask("{\"is\":\"event\",\"name\":\"load\",\"args\":{}}");
  ask("{\"is\":\"pass\",\"name\":\"rope_bridge\"}");
  int64_t number;
  char *keep = alluvion_save(session, &number);
  FILE *f = fopen(argv[3], "wb");
  if (!f || fputs(keep, f) < 0 || fclose(f) != 0) return fprintf(stderr, "%s cannot be written\n", argv[3]), 1;
  alluvion_stored(session, number);
  alluvion_free(keep);
  ask("{\"is\":\"leave\"}");
  printf("ended: %d\n", alluvion_ended(session));
  alluvion_close(session);
  return 0;
}
