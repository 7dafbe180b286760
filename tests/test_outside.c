/* placeholder */
#include "tool.h"
int main(void) { return 0; }
