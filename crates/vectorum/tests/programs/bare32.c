/* A 32-bit program without any library: its environ points where the kernel left the block. */
char **environ;

static void call(int number, int a, const void *b, int c) {
    __asm__ volatile("int $0x80" : "+a"(number) : "b"(a), "c"(b), "d"(c) : "memory");
}

void begin(int *stack) {
    environ = (char **)(stack + 1 + stack[0] + 1);
    environ[0] = "KEPT=changed";
    call(4, 1, "ready\n", 6);
    for (;;) call(29, 0, 0, 0);
}

__asm__(".globl _start\n_start: mov %esp, %eax\npush %eax\ncall begin\n");
