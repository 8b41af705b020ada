/* Changes its own environment block as its first argument says, prints "ready" and waits to be
   ended. The changes are those that real programs make. */
#define _GNU_SOURCE
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
#include <unistd.h>

extern char **environ;

int main(int argc, char **argv) {
    const char *how = argc > 1 ? argv[1] : "plain";
    char *last = argv[0];
    if (!strcmp(how, "set")) {
        setenv("LATE", "born later", 1);
        setenv("KEPT", "changed", 1);
        unsetenv("GONE");
    } else if (!strcmp(how, "clear")) {
        clearenv();
    } else if (!strcmp(how, "title")) {
        /* A title longer than the arguments runs on into the block. */
        for (char **e = environ; *e; e++) last = *e + strlen(*e);
        memset(argv[0], 'x', (size_t)(last - argv[0]) - 4);
    } else if (!strcmp(how, "zero")) {
        /* A short title, and zeros up to the end of the block. */
        for (char **e = environ; *e; e++) last = *e + strlen(*e);
        strcpy(argv[0], "t");
        memset(argv[0] + 2, 0, (size_t)(last - argv[0]) - 2);
    } else if (!strcmp(how, "shift")) {
        /* The boundaries move, the number of strings stays: A=1, BB=2 become A=12 (gone), B=2. */
        char *first = environ[0];
        size_t length = strlen(first);
        memmove(first + length - 1, first + length, strlen(environ[1]) + 1);
    } else if (!strcmp(how, "private")) {
        prctl(PR_SET_DUMPABLE, 0);
    } else if (!strcmp(how, "moved")) {
        /* All places at once: that needs no privilege. The other 49 fields of /proc/self/stat
           give the places that stay. */
        static char stat[4096], elsewhere[] = "FAKE=1";
        unsigned long long at[64] = {0};
        FILE *file = fopen("/proc/self/stat", "r");
        stat[fread(stat, 1, sizeof stat - 1, file)] = 0;
        char *field = strrchr(stat, ')') + 4;
        for (int n = 4; n <= 52; n++) at[n] = strtoull(field, &field, 10);
        struct prctl_mm_map map = {
            .start_code = at[26], .end_code = at[27], .start_stack = at[28], .start_data = at[45], .end_data = at[46],
            .start_brk = at[47], .brk = (unsigned long)sbrk(0), .arg_start = at[48], .arg_end = at[49],
            .env_start = (unsigned long)elsewhere, .env_end = (unsigned long)elsewhere + sizeof elsewhere, .exe_fd = -1};
        if (prctl(PR_SET_MM, PR_SET_MM_MAP, &map, sizeof map, 0)) { perror("prctl"); return 1; }
    } else if (!strcmp(how, "many")) {
        for (int i = 0; i < atoi(argv[2]); i++)
            if (fork() == 0) { for (;;) pause(); }
    } else if (!strcmp(how, "zombie")) {
        pid_t child = fork();
        if (child == 0) _exit(0);
        usleep(20000);
        printf("%d ", (int)child);
    } else if (!strcmp(how, "swing")) {
        printf("ready\n");
        fflush(stdout);
        for (long i = 0;; i++) { char n[32]; sprintf(n, "%ld", i); setenv("SWING", n, 1); setenv("SWUNG", n, 1); usleep(300); }
    }
    printf("ready\n");
    fflush(stdout);
    for (;;) pause();
}
