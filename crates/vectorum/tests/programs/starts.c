/* Starts programs in every way that the C library and the kernel offer; the first argument says
   how. Each started program is /bin/true, or this one with "end". */
#define _GNU_SOURCE
#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <sched.h>
#include <spawn.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

static char *argv_true[] = {"true", "tide", NULL};
static char *env_own[] = {"HOW=own", NULL};

static void *thread_exec(void *unused) {
    execve("/bin/true", argv_true, env_own);
    return unused;
}

static int cloned(void *unused) {
    execve("/bin/true", argv_true, env_own);
    return unused != NULL;
}

static volatile int go_on = 1;
static char changing[] = "SWING=aaaaaaaa";

static void *swing(void *unused) {
    while (go_on) memset(changing + 6, changing[6] == 'a' ? 'b' : 'a', 8);
    return unused;
}

int main(int argc, char **argv) {
    const char *how = argc > 1 ? argv[1] : "end";
    pid_t pid = -1;
    if (!strcmp(how, "vfork")) {
        if ((pid = vfork()) == 0) { execve("/bin/true", argv_true, env_own); _exit(9); }
    } else if (!strcmp(how, "spawn")) {
        posix_spawn(&pid, "/bin/true", NULL, NULL, argv_true, env_own);
    } else if (!strcmp(how, "spawn-fails")) {
        if (posix_spawn(&pid, "/no/such", NULL, NULL, argv_true, env_own) == 0) return 8;
        return 0;
    } else if (!strcmp(how, "clone")) {
        char *stack = malloc(1 << 16);
        pid = clone(cloned, stack + (1 << 16), SIGCHLD, NULL);
    } else if (!strcmp(how, "thread")) {
        pthread_t thread;
        pthread_create(&thread, NULL, thread_exec, NULL);
        pthread_join(thread, NULL);
    } else if (!strcmp(how, "search")) {
        setenv("PATH", "/no:/such:/folder:/bin", 1);
        if ((pid = fork()) == 0) { execvp("true", argv_true); _exit(9); }
    } else if (!strcmp(how, "fails")) {
        execve("/no/such/program", argv_true, env_own);
        execve("/etc/passwd", argv_true, env_own);
        return 0;
    } else if (!strcmp(how, "fd")) {
        int fd = open("/bin/true", O_PATH | O_CLOEXEC);
        if ((pid = fork()) == 0) { syscall(SYS_execveat, fd, "", argv_true, env_own, AT_EMPTY_PATH); _exit(9); }
    } else if (!strcmp(how, "null")) {
        if ((pid = fork()) == 0) { syscall(SYS_execve, "/bin/true", argv_true, NULL); _exit(9); }
    } else if (!strcmp(how, "odd")) {
        char *odd[] = {"A=1", "noequals", "=x", "A=2", "B=\xff\xfe", "", NULL};
        if ((pid = fork()) == 0) { execve("/bin/true", argv_true, odd); _exit(9); }
    } else if (!strcmp(how, "edge")) {
        /* The last string ends with the last byte that is mapped. */
        char *page = mmap(NULL, 8192, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
        munmap(page + 4096, 4096);
        char *last = page + 4096 - 7;
        strcpy(last, "EDGE=1");
        char *block[] = {last, NULL};
        if ((pid = fork()) == 0) { execve("/bin/true", argv_true, block); _exit(9); }
    } else if (!strcmp(how, "limit")) {
        static char large[131072];
        memset(large, 'x', 131071);
        memcpy(large, "LARGE=", 6);
        char *block[] = {large, NULL};
        if ((pid = fork()) == 0) { execve("/bin/true", argv_true, block); _exit(9); }
    } else if (!strcmp(how, "swing")) {
        pthread_t thread;
        char *block[] = {changing, NULL};
        pthread_create(&thread, NULL, swing, NULL);
        for (int i = 0; i < 50; i++) {
            if ((pid = vfork()) == 0) { execve("/bin/true", argv_true, block); _exit(9); }
            waitpid(pid, NULL, 0);
        }
        go_on = 0;
        return 0;
    } else if (!strcmp(how, "daemon")) {
        if (fork() == 0) {
            setsid();
            if (fork() == 0) { usleep(300000); execve("/bin/true", argv_true, env_own); }
            _exit(0);
        }
        wait(NULL);
        return 0;
    } else if (!strcmp(how, "killed")) {
        if ((pid = fork()) == 0) { char *v[] = {"sleep", "600", NULL}; execve("/bin/sleep", v, env_own); _exit(9); }
        usleep(100000);
        kill(pid, SIGKILL);
    } else if (!strcmp(how, "again")) {
        char *v[] = {argv[0], "end", NULL};
        execve(argv[0], v, env_own);
    } else {
        return 0;
    }
    int status = 0;
    if (pid > 0) waitpid(pid, &status, 0);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 0;
}
