/* Ends with the status that it is told. */
#include <stdlib.h>

int main(int count, char **arguments) {
    return count > 1 ? atoi(arguments[1]) : 0;
}
