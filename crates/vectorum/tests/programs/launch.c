/* launch BLOCK PROGRAM [ARGUMENT...]: becomes PROGRAM with the NUL-ended entries of the file
   BLOCK as its environment block, whatever they are. */
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

int main(int argc, char **argv) {
    static char bytes[8 << 20];
    static char *entries[1 << 17];
    FILE *file = argc > 2 ? fopen(argv[1], "r") : NULL;
    if (!file) { perror("launch"); return 125; }
    size_t length = fread(bytes, 1, sizeof bytes - 1, file), count = 0;
    for (size_t at = 0; at < length; at++)
        if (at == 0 || bytes[at - 1] == 0) entries[count++] = bytes + at;
    execve(argv[2], argv + 2, entries);
    perror("execve");
    return 126;
}
