/* A 32-bit program that starts /bin/true with a block of its own, without any library. */
static int call(int number, const void *a, const void *b, const void *c) {
    __asm__ volatile("int $0x80" : "+a"(number) : "b"(a), "c"(b), "d"(c) : "memory");
    return number;
}

void begin(void) {
    static const char *argv[] = {"true", "narrow", 0};
    static const char *envp[] = {"HOW=32", "BITS=32", 0};
    call(11, "/bin/true", argv, envp);
    call(1, 0, 0, 0);
}

__asm__(".globl _start\n_start: call begin\n");
