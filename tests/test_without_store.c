/* Built with a write job that leaves out the store step: the proof after the restart must notice. */
#include "help.h"

static void the_proof_notices(void **state)
{
    (void)state;
    const struct {
        const sim_model *sim;
        const bil_description *description;
    } models[] = {{&sim_ed30, &bil_description_ed_30}, {&sim_ec8, &bil_description_ec_8}};
    for (int i = 0; i < 2; i++) {
        bench b;
        bench_open(&b, models[i].sim, models[i].description, false);
        assert_int_equal(bench_read(&b, true).u.end.cause, BIL_OK);
        sim_factory_reset(b.unit, b.sim.now);
        b.sim.now += 10000;
        bil_action end = bench_write(&b, bench_config(&b));
        assert_true(end.u.end.wrote);
        assert_int_equal(end.u.end.verdict, BIL_VERDICT_INCOMPLETE);
        assert_int_equal(end.u.end.cause, BIL_E_DIFFERS);
        assert_true(end.u.end.held);
        bench_close(&b);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(the_proof_notices)};
    return cmocka_run_group_tests_name("without_store", tests, NULL, NULL);
}
