/* What hooks may ask of a write in progress. */
#include "host/library/writing.h"

#include "host/library/seen.h"

const bil_description *bil_writing_description(const bil_writing *x)
{
    return x->w.want.description;
}

const bil_image *bil_writing_have(const bil_writing *x)
{
    return &x->w.dev.image;
}

const bil_image *bil_writing_want(const bil_writing *x)
{
    return &x->w.want.image;
}

bil_write_need bil_writing_need(const bil_writing *x, uint16_t index)
{
    return write_need(&x->w, index);
}

bool bil_writing_plans(const bil_writing *x, uint16_t index)
{
    return write_planned(&x->w, index);
}

unsigned bil_writing_planned(const bil_writing *x)
{
    return x->w.planned;
}

bool bil_writing_changed_since(const bil_writing *x, uint16_t index)
{
    return write_changed_since(&x->w, index);
}

int bil_writing_exception(const bil_writing *x, uint16_t index)
{
    return (int)write_exception(&x->w, index);
}

bool bil_writing_would_lose(const bil_writing *x, uint16_t index)
{
    return write_would_lose(&x->w, index);
}

bool bil_writing_loses(const bil_writing *x, uint8_t which)
{
    const bil_description *d = x->w.want.description;
    return which < d->loses_count && write_concerns(&x->w, &d->loses[which]);
}

bool bil_writing_collects(const bil_writing *x, uint16_t index)
{
    return write_collects(&x->w, index);
}

bool bil_writing_puts(const bil_writing *x, uint16_t index)
{
    return write_is_sealed(&x->w, index) == WRITE_PUTS;
}

bool bil_writing_leaves_sealed(const bil_writing *x, uint16_t index)
{
    return write_is_sealed(&x->w, index) == WRITE_LEAVES_SEALED;
}

bil_purpose bil_writing_purpose(const bil_writing *x)
{
    return x->w.job ? bil_job_purpose(x->w.job) : x->wish.purpose;
}

bool bil_writing_goes_on(const bil_writing *x)
{
    return x->w.job && bil_job_leaves_working(x->w.job) && bil_job_goes_on(x->w.job);
}

void bil_writing_counts(const bil_writing *x, bil_job_progress *counts)
{
    *counts = (bil_job_progress){0};
    if (x->w.job)
        bil_job_progress_of(x->w.job, counts);
}

const char *bil_writing_person_step(const bil_writing *x)
{
    return x->w.job ? write_person_step(&x->w) : NULL;
}

const char *bil_writing_address(const bil_writing *x)
{
    return x->w.keep.address;
}

const char *bil_writing_safety(const bil_writing *x)
{
    return x->w.safety;
}

const char *bil_writing_record(const bil_writing *x)
{
    return x->w.rec.path;
}

const write_call *lib_writing_call(const bil_writing *x)
{
    return &x->w;
}
