import { lendMusic } from './plans/lend-music';
import { receiveCopies } from './plans/receive-copies';
import { conditionReport } from './plans/condition-report';
import { orderAccessories } from './plans/order-accessories';
import { ensemble } from './plans/ensemble';
import { memberDetails } from './plans/member-details';
import { hallCheck } from './plans/hall-check';
import { region } from './plans/region';
import { planSchema, type Plan } from '../src/core/plan/schema';

export const demoPlans: Record<string, Plan> = {
  lend_music: planSchema.parse(lendMusic),
  receive_copies: planSchema.parse(receiveCopies),
  condition_report: planSchema.parse(conditionReport),
  order_accessories: planSchema.parse(orderAccessories),
  ensemble: planSchema.parse(ensemble),
  hall_check: planSchema.parse(hallCheck),
  region: planSchema.parse(region),
  member_details: planSchema.parse(memberDetails),
};
